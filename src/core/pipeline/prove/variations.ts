/** The surroundings in which a build is repeated. Each changes what must not matter; nothing that may. */

export interface Variation {
  readonly id: string;
  /** As shown to people. */
  readonly title: string;
  /** Name of the folder that the project is copied to, below a temporary one. */
  readonly folder: string;
  /** Environment of the build; what is undefined is removed. */
  readonly env: Readonly<Record<string, string | undefined>>;
  /** File mode creation mask, octal. */
  readonly umask?: number;
  readonly jobs?: number;
  /** How the copy is made. */
  readonly copy: {
    /** Files are created in this order. */
    readonly order: 'forward' | 'backward';
    /** Modification time of every file, seconds since 1970; the time of copying otherwise. */
    readonly mtimeSeconds?: number;
    /** Take permission of group and others away from every file, or give it. */
    readonly modes?: 'owner-only' | 'everybody';
  };
  /** Build, change a file, build, change it back, build: the last artifact comes from the store. */
  readonly throughStore?: boolean;
}

const plain = { env: {}, copy: { order: 'forward' } } as const;

export const VARIATIONS: readonly Variation[] = [
  { ...plain, id: 'folder', title: 'another folder, cold store', folder: 'a folder/with a longer – name' },
  {
    ...plain,
    id: 'zone',
    title: 'another time zone and locale',
    folder: 'zone',
    env: { TZ: 'Pacific/Chatham', LANG: 'tr_TR.UTF-8', LC_ALL: 'tr_TR.UTF-8', LANGUAGE: 'tr' },
  },
  { ...plain, id: 'umask', title: 'another umask', folder: 'umask', umask: 0o077 },
  {
    ...plain,
    id: 'times',
    title: 'other file times and modes, created in another order',
    folder: 'times',
    copy: { order: 'backward', mtimeSeconds: 1_000_000_000, modes: 'owner-only' },
  },
  {
    ...plain,
    id: 'user',
    title: 'another home and user environment',
    folder: 'user',
    env: {
      HOME: '/nonexistent',
      USER: 'somebody',
      LOGNAME: 'somebody',
      HOSTNAME: 'elsewhere',
      PWD: undefined,
      EDITOR: undefined,
    },
  },
  { ...plain, id: 'jobs-1', title: 'one job', folder: 'jobs-1', jobs: 1 },
  { ...plain, id: 'jobs-7', title: 'seven jobs', folder: 'jobs-7', jobs: 7 },
  {
    ...plain,
    id: 'store',
    title: 'from the store, after a change was taken back',
    folder: 'store',
    throughStore: true,
  },
  {
    id: 'all',
    title: 'all of these together',
    folder: 'all/of them',
    env: { TZ: 'America/St_Johns', LANG: 'C', LC_ALL: 'C', HOME: '/nonexistent', USER: 'nobody', LOGNAME: 'nobody' },
    umask: 0o002,
    jobs: 3,
    copy: { order: 'backward', mtimeSeconds: 4_000_000_000, modes: 'everybody' },
  },
];
