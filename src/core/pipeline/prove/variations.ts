/** The surroundings in which a build is repeated. Each variation changes what must not matter; nothing that may. */

/** How a copy of the project is made, and how the build of it is started. */
export interface Surroundings {
  /** Name of the folder that the project is copied to, below one of its own. */
  readonly folder?: string;
  /** Environment of the build; what is undefined is removed. */
  readonly env?: Readonly<Record<string, string | undefined>>;
  /** File mode creation mask, octal. */
  readonly umask?: number;
  readonly jobs?: number;
  /** Only one processor may be used. */
  readonly oneProcessor?: true;
  /** Another name of the machine. */
  readonly host?: string;
  /** Number of another user, without rights of its own. */
  readonly user?: number;
  /** No network, not even this machine’s own. */
  readonly noNetwork?: true;
  /** What the clock says when it begins: `2031-07-04 03:02:01`, UTC. */
  readonly clock?: string;
  /** Nothing kept by us: neither in the project nor for the user. */
  readonly cold?: true;
  /** Another version of the runtime that runs us. */
  readonly otherRuntime?: true;
  /** A temporary folder of another name. */
  readonly temporary?: string;
  /** A home of its own, with nothing in it. */
  readonly home?: string;
  /** On another file system. */
  readonly otherDisk?: true;
  /** Files are created in the opposite order. */
  readonly madeBackward?: true;
  /** Folders list what is in them in the opposite order. */
  readonly listedBackward?: true;
  /** Modification time of every file, seconds since 1970. */
  readonly mtimeSeconds?: number;
  /** Take permission of group and others away from every file, or give it. */
  readonly modes?: 'owner-only' | 'everybody';
  /** Build, change a file, build, change it back, build: the last artifact comes from what was kept. */
  readonly throughStore?: true;
}

export interface Variation {
  readonly id: string;
  /** As shown to people, after "building with". */
  readonly title: string;
  readonly changes: Surroundings;
  /** Another one that cannot hold at the same time. */
  readonly not?: string;
}

/** What stands in environments of people and machines, and must not reach what is built. */
const NOISE = {
  ...Object.fromEntries(Array.from({ length: 40 }, (_, i) => [`NOISE_${String(i)}`, 'x'.repeat(i * 7)])),
  CFLAGS: '-DNOISE=1 -O0',
  CXXFLAGS: '-DNOISE=1',
  CPPFLAGS: '-DNOISE=1',
  LDFLAGS: '-Wl,--build-id=uuid',
  RUSTFLAGS: '-C debuginfo=2',
  GOFLAGS: '-tags=noise',
  MAKEFLAGS: '-j3',
  HASH_SEED: '4711',
  TERM: 'dumb',
  COLUMNS: '43',
  LS_COLORS: 'no=1',
  EDITOR: 'ed',
  PAGER: 'cat',
  CLICOLOR_FORCE: '1',
};

export const VARIATIONS: readonly Variation[] = [
  {
    id: 'folder',
    title: 'a deeper folder with a longer name',
    changes: { folder: 'a folder/deeper/and – deeper/with a much longer name than it has' },
  },
  { id: 'clock', title: 'another time of day and year', changes: { clock: '2031-07-04 03:02:01' } },
  { id: 'zone', title: 'another time zone', changes: { env: { TZ: 'Pacific/Chatham' } } },
  {
    id: 'locale',
    title: 'another locale',
    changes: { env: { LANG: 'tr_TR.UTF-8', LC_ALL: 'tr_TR.UTF-8', LANGUAGE: 'tr' } },
  },
  { id: 'umask', title: 'another umask', changes: { umask: 0o077 } },
  {
    id: 'user',
    title: 'another user',
    changes: { user: 4711, env: { USER: 'somebody', LOGNAME: 'somebody', USERNAME: 'somebody' } },
  },
  { id: 'home', title: 'another home', changes: { home: 'homes/somebody' } },
  { id: 'host', title: 'another host name', changes: { host: 'elsewhere', env: { HOSTNAME: 'elsewhere' } } },
  { id: 'noise', title: 'noise in the environment', changes: { env: NOISE } },
  { id: 'made', title: 'files created in another order', changes: { madeBackward: true } },
  { id: 'listed', title: 'folders listed in another order', changes: { listedBackward: true } },
  { id: 'times', title: 'other file times', changes: { mtimeSeconds: 1_000_000_000 } },
  { id: 'modes', title: 'other modes of sources', changes: { modes: 'owner-only' } },
  { id: 'jobs-1', title: 'one job', changes: { jobs: 1 }, not: 'jobs-7' },
  { id: 'jobs-7', title: 'seven jobs', changes: { jobs: 7 }, not: 'jobs-1' },
  { id: 'processor', title: 'one processor', changes: { oneProcessor: true } },
  { id: 'cold', title: 'a cold store', changes: { cold: true } },
  { id: 'store', title: 'the store, after a change was taken back', changes: { throughStore: true } },
  { id: 'runtime', title: 'another version of the program’s own runtime', changes: { otherRuntime: true } },
  { id: 'temporary', title: 'another temporary folder', changes: { temporary: 'scratch of another name' } },
  { id: 'disk', title: 'another file system', changes: { otherDisk: true } },
  { id: 'network', title: 'the network off', changes: { noNetwork: true } },
];

/** What several variations change together; of two that cannot hold at once, the later one holds. */
export function together(variations: readonly Variation[]): Surroundings {
  const env = Object.assign({}, ...variations.map(({ changes }) => changes.env)) as Surroundings['env'];
  return Object.assign({}, ...variations.map(({ changes }) => changes), { env }) as Surroundings;
}
