/** How a program is started in other surroundings, with what this machine has for it. */
import { existsSync, mkdirSync, readFileSync, statSync, symlinkSync } from 'node:fs';
import { basename, join } from 'node:path';
import { namesIn } from '../../disk/names-in';
import { LANGUAGES } from '../../languages';
import { KINDS, type StateKind } from '../../project/state/state';
import { clockLibrary, clockVariables } from '../../toolchains/faked-clock';
import type { Machine } from '../../toolchains/machine';
import { otherOwnRuntime } from '../../toolchains/own-runtime';
import { askProgram, programsNamed } from '../../toolchains/programs';
import type { Surroundings, Variation } from './variations';

/** What this machine has for it; undefined where it has not. */
export interface Means {
  readonly clock: string | undefined;
  readonly taskset: string | undefined;
  /** Where other names of the machine, users and networks are allowed. */
  readonly unshare: {
    readonly host: boolean;
    readonly user: boolean;
    readonly network: boolean;
    readonly path: string;
  };
  /** Options that let us make such a space. */
  readonly asRoot: readonly string[];
  readonly runtime: string | undefined;
  /** Absolute path of a folder on another file system. */
  readonly otherDisk: string | undefined;
}

/** @param near absolute path of a folder on the file system that another is wanted of */
export async function findMeans(machine: Machine, near: string): Promise<Means> {
  const [unshare = '', taskset] = ['unshare', 'taskset'].map(
    (name) => programsNamed(new RegExp(`^${name}$`), machine.searchPath)[0],
  );
  const asRoot = process.getuid?.() === 0 ? [] : ['--user', '--map-root-user'];
  const works = async (args: readonly string[]): Promise<boolean> =>
    unshare !== '' && (await askProgram(unshare, args)) !== undefined;
  const [host, user, network, clock, runtime, oneProcessor] = await Promise.all([
    works([...asRoot, '--uts', '/bin/sh', '-c', 'hostname elsewhere']),
    works([...asRoot, '--mount', unshare, '--user', '--map-user=4711', '/bin/true']),
    works([...asRoot, '--net', '/bin/true']),
    clockLibrary(machine),
    otherOwnRuntime(machine),
    taskset === undefined ? undefined : askProgram(taskset, ['-c', nextProcessor(), '/bin/true']),
  ]);
  return {
    clock,
    runtime: runtime?.path,
    asRoot,
    otherDisk: otherDisk(near),
    taskset: oneProcessor === undefined ? undefined : taskset,
    unshare: { host, user, network, path: unshare },
  };
}

/** What has to be there for a variation, and how to get it; undefined where all is. */
export function whatLacks({ changes }: Variation, means: Means): string | undefined {
  const { unshare } = means;
  const namespaces = 'run it where namespaces are allowed, with `unshare` of util-linux';
  if (changes.clock !== undefined && means.clock === undefined)
    return 'install a library that fakes the time, such as Debian’s libfaketime';
  if (changes.oneProcessor === true && means.taskset === undefined) return 'install `taskset` of util-linux';
  if (changes.host !== undefined && !unshare.host) return namespaces;
  if (changes.user !== undefined && !unshare.user) return namespaces;
  if (changes.noNetwork === true && !unshare.network) return namespaces;
  if (changes.otherRuntime === true && means.runtime === undefined)
    return 'put one of another major version on the PATH';
  if (changes.otherDisk === true && means.otherDisk === undefined)
    return 'mount one that may be written to and run from, such as /dev/shm';
  return undefined;
}

export interface Started {
  /** Absolute path. */
  readonly program: string;
  readonly args: readonly string[];
  readonly env: Readonly<Record<string, string | undefined>>;
}

export interface StartPlan {
  readonly surroundings: Surroundings;
  readonly means: Means;
  /** What is run by the runtime that runs us: the path of its script, and what follows. */
  readonly script: readonly string[];
  readonly machine: Pick<Machine, 'self' | 'variables'>;
  /** Absolute path of the user’s folder for caches. */
  readonly caches: string;
  /** Absolute path of a folder of its own, for homes, caches and temporary files. */
  readonly own: string;
}

/** How the program is started in changed surroundings, and what undoes them. */
export function startIn(plan: StartPlan): Started {
  const { surroundings, means, script, machine } = plan;
  const runtime = surroundings.otherRuntime === true ? (means.runtime ?? machine.self.path) : machine.self.path;
  const words = wrapped(surroundings, means, [runtime, ...script]);
  const [program = '', ...args] = words;
  return { program, args, env: environment(plan) };
}

/** Spaces of its own, a mask, a processor: each starts the next. */
function wrapped(surroundings: Surroundings, means: Means, command: readonly string[]): string[] {
  const { host, user, noNetwork, oneProcessor, umask } = surroundings;
  const { unshare, asRoot, taskset } = means;
  const spaces = [...(host === undefined ? [] : ['--uts']), ...(noNetwork === true ? ['--net'] : [])];
  const isApart = spaces.length > 0 || user !== undefined;
  const shell = (line: string): string[] => ['/bin/sh', '-c', `${line}exec "$@"`, 'sh'];
  return [
    ...(isApart ? [unshare.path, ...asRoot, '--mount', ...spaces] : []),
    ...(host === undefined ? [] : shell(`hostname ${host}; `)),
    ...(user === undefined
      ? []
      : [unshare.path, '--user', `--map-user=${String(user)}`, `--map-group=${String(user)}`]),
    ...(oneProcessor === true && taskset !== undefined ? [taskset, '-c', nextProcessor()] : []),
    ...(umask === undefined ? [] : shell(`umask ${umask.toString(8)}; `)),
    ...command,
  ];
}

function environment({ surroundings, means, machine, caches, own }: StartPlan): Started['env'] {
  const { env, clock, home, temporary, listedBackward, cold } = surroundings;
  const made = (name: string): string => {
    mkdirSync(join(own, name), { recursive: true });
    return join(own, name);
  };
  const before = machine.variables();
  const options = [before.NODE_OPTIONS, `--require ${JSON.stringify(join(__dirname, 'list-backward.cjs'))}`];
  return {
    ...before,
    // What others built, and what compilers remember of the function’s own code, proves nothing.
    EMBALLAGE_STORE: 'none',
    EMBALLAGE_ANEW: '1',
    // Third-party files lie with the user, by their digests, whoever that is said to be.
    XDG_CACHE_HOME: cold === true ? coldCaches(caches, made('caches')) : caches,
    ...env,
    ...(home !== undefined && { HOME: made(home) }),
    ...(temporary !== undefined && { TMPDIR: made(temporary) }),
    ...(listedBackward === true && { NODE_OPTIONS: options.filter((one) => one !== undefined).join(' ') }),
    ...(clock !== undefined && means.clock !== undefined && clockVariables(means.clock, clock)),
  };
}

const OURS = 'emballage';
/** Folders of ours whose things are known by their digests. */
const KNOWN_BY_DIGEST = [...Object.values(KINDS), ...LANGUAGES.flatMap(({ caches }) => caches)]
  .filter(({ of, keptBy }: StateKind) => of === 'user' && keptBy === 'digest')
  .map(({ name }) => `${OURS}/${name}`);

/** Nothing of ours but third-party files; what other programs keep there is theirs. */
function coldCaches(caches: string, folder: string): string {
  // The second build in the same surroundings finds what the first one made.
  if (existsSync(join(folder, OURS))) return folder;
  mkdirSync(join(folder, OURS));
  const links = [...namesIn(caches).filter((name) => name !== OURS), ...KNOWN_BY_DIGEST];
  for (const name of links) {
    const target = join(caches, name);
    if (statSync(target, { throwIfNoEntry: false }) !== undefined) symlinkSync(target, join(folder, name));
  }
  return folder;
}

/** The processors that may be used (proc(5), "Cpus_allowed_list"). */
function processors(): string[] {
  try {
    const [, list = '0'] = /^Cpus_allowed_list:\s*(\S+)/m.exec(readFileSync('/proc/self/status', 'utf8')) ?? [];
    return list.split(',').flatMap((part) => {
      const [from = 0, to = from] = part.split('-').map(Number);
      return Array.from({ length: to - from + 1 }, (_, i) => String(from + i));
    });
  } catch {
    return ['0'];
  }
}

let taken = 0;
/** Builds that are under way at once are not to wait for the same one. */
function nextProcessor(): string {
  const all = processors();
  return all[taken++ % all.length] ?? '0';
}

/** A folder on another file system that may be written to and run from. */
function otherDisk(near: string): string | undefined {
  const here = statSync(near).dev;
  const mounts = mountOptions();
  return ['/dev/shm', '/tmp', '/var/tmp', '/run/user/' + String(process.getuid?.() ?? 0)].find((folder) => {
    const stat = statSync(folder, { throwIfNoEntry: false });
    if (stat === undefined || stat.dev === here) return false;
    const options = mounts.get(folder) ?? '';
    return !/\b(?:noexec|ro)\b/.test(options) && basename(folder) !== '';
  });
}

/** Options by folder (proc(5), "/proc/mounts"). */
function mountOptions(): Map<string, string> {
  try {
    const lines = readFileSync('/proc/mounts', 'utf8').split('\n');
    return new Map(
      lines.map((line) => {
        const [, folder = '', , options = ''] = line.split(' ');
        return [folder, options];
      }),
    );
  } catch {
    return new Map();
  }
}
