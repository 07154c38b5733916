/** Runtime identifiers: what files of packages are for, and what of that a target takes ("RID catalog" of the runtime). */
import type { Arch } from '../../../sheet';
import type { Libc } from '../../../project/destination-runtime';

export interface System {
  readonly arch: Arch;
  readonly libc: Libc;
  /** The major version of the runtime. */
  readonly version: number;
}

/** How the catalog calls processors. */
const PROCESSORS: Readonly<Record<Arch, string>> = { x86_64: 'x64', arm64: 'arm64' };
const OF_GLIBC = /^(?:debian|ubuntu|rhel|centos|fedora|opensuse|sles|ol|linuxmint)(?:\.[\d.]+)?$/;
const OF_MUSL = /^alpine(?:\.[\d.]+)?$/;

/** What a target is itself. */
export function ridOf({ arch, libc }: Pick<System, 'arch' | 'libc'>): string {
  return `linux-${libc === 'musl' ? 'musl-' : ''}${PROCESSORS[arch]}`;
}

/** What a target takes, the nearest first. */
export function ridChain(system: Pick<System, 'arch' | 'libc'>): readonly string[] {
  const processor = PROCESSORS[system.arch];
  const own = ridOf(system);
  const musl = system.libc === 'musl' ? [own, 'linux-musl'] : [];
  return [...musl, `linux-${processor}`, 'linux', `unix-${processor}`, 'unix', 'any', 'base'];
}

/** How near an identifier is to a target; undefined where it is for others. */
export function nearness(rid: string, system: System): number | undefined {
  const chain = ridChain(system);
  const place = chain.indexOf(rid);
  if (place >= 0) return place;
  // Before version 8 names of distributions counted, and nobody here knows which one it will be.
  const [, name = ''] = new RegExp(`^(.+?)(?:-${PROCESSORS[system.arch]})?$`).exec(rid) ?? [];
  const known = system.libc === 'musl' ? OF_MUSL : OF_GLIBC;
  return system.version < 8 && known.test(name) ? 0 : undefined;
}

/** The identifier that a path in a package or a publish folder is for. */
export function ridInPath(path: string): string | undefined {
  return /^(?:.*\/)?runtimes\/([^/]+)\//.exec(path)?.[1];
}
