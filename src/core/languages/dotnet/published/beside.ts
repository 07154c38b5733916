/** What lies beside an assembly and is named after it. */

export interface BesideAssembly {
  /** Its name without the ending, which the program that starts it has. */
  readonly program: string;
  /** What tells the host which files there are, and which frameworks it asks for. */
  readonly deps: string;
  readonly config: string;
}

/** @param assembly its path, `Dues.dll` */
export function besideAssembly(assembly: string): BesideAssembly {
  const program = assembly.replace(/\.[^./]+$/, '');
  return { program, deps: `${program}.deps.json`, config: `${program}.runtimeconfig.json` };
}
