/** Finds the Go toolchains here. Each compiles for every processor. */
import { listed } from '../../base/text';
import { ARCHITECTURES, type FunctionSpec } from '../../sheet';
import type { Machine } from '../../toolchains/machine';
import { askProgram, NO_HOME, programsNamed } from '../../toolchains/programs';
import { fitsToolchain, missingCompiler, type Wanted } from '../compiled/compile/choose-compiler';
import { lookUpCompilers } from '../compiled/running';
import type { FoundToolchains, LookedUp } from '../language';

export interface GoToolchain {
  /** `1.24.1`. */
  readonly version: string;
  /** Absolute path. */
  readonly path: string;
}

/** The Go toolchains here, looked for once. */
function goOf(machine: Machine): Promise<GoToolchain[]> {
  return machine.once('go', () => findGo(machine.searchPath));
}

/** @param searchPath the PATH to look through */
async function findGo(searchPath: string): Promise<GoToolchain[]> {
  const found = await Promise.all(programsNamed(/^go$/, searchPath).map(look));
  return found.flatMap((one) => one ?? []);
}

async function look(path: string): Promise<GoToolchain | undefined> {
  // Neither a file of the folder that we run in nor the user’s settings may choose another one.
  const answer = await askProgram(path, ['version'], { GOTOOLCHAIN: 'local', GOENV: 'off', HOME: NO_HOME });
  const [, version] = /^go version go(\d+\.\d+(?:\.\d+)?)/.exec(answer ?? '') ?? [];
  return version === undefined ? undefined : { path, version: /^\d+\.\d+$/.test(version) ? `${version}.0` : version };
}

/** The Go that compiles a function: one that is here and fits. @throws EmballageError TOOLCHAIN_MISSING */
export async function chooseGo(wanted: Wanted<'go'>): Promise<GoToolchain> {
  const all = await goOf(wanted.machine);
  const chosen = all.find(({ version }) => fitsToolchain(wanted.spec.byLanguage.toolchain, version));
  if (chosen !== undefined) return chosen;
  throw missingCompiler(
    wanted,
    'Go',
    all.map(({ version }) => `go ${version}`),
    'install it, Debian’s `golang-go` say, and put it on the PATH',
  );
}

/** The Go that this machine has, as `toolchains` shows it. */
export async function foundGo(machine: Machine): Promise<FoundToolchains> {
  const go = await goOf(machine);
  const rows = go.map(({ version, path }) => ({
    name: 'go',
    version,
    path,
    does: 'compiles for',
    what: listed(ARCHITECTURES),
  }));
  const missing = go.length === 0 ? [{ what: 'Go', mend: 'install Debian’s `golang-go`' }] : [];
  return { rows, document: { go }, missing };
}

/** Whether the Go that a function wants is here, and what to do where it is not. */
export async function lookUpGo(machine: Machine, spec: FunctionSpec<'go'>): Promise<LookedUp> {
  const right = (await goOf(machine)).find(({ version }) => fitsToolchain(spec.byLanguage.toolchain, version));
  return lookUpCompilers(spec, () => right?.path);
}
