/** What tests need of the machine beside Node.js. Where it is not here they are left out, and told by name at the end. */
import { spawnSync } from 'node:child_process';
import { appendFileSync } from 'node:fs';

/** The package of scripts/toolchains.sh that a program comes from, where its name is another. */
const PACKAGES: Readonly<Record<string, string>> = {
  'aarch64-linux-gnu-gcc': 'gcc-aarch64-linux-gnu',
  'aarch64-linux-gnu-g++': 'g++-aarch64-linux-gnu',
  'qemu-aarch64-static': 'qemu-user-static',
  go: 'golang-go',
  htpasswd: 'apache2-utils',
  javac: 'openjdk-17-jdk-headless',
  man: 'man-db',
  mcs: 'mono-mcs',
  mono: 'mono-utils',
  monodis: 'mono-utils',
  'ssh-keygen': 'openssh-client',
  tinyproxy: 'tinyproxy-bin',
  unshare: 'util-linux',
};

/** Something that a test cannot do without. */
export interface Need {
  readonly isHere: boolean;
  readonly what: string;
  /** What scripts/toolchains.sh installs for it; where it installs none, what a person can do. */
  readonly from: string;
}

/** A program on the PATH. */
export function programNeed(program: string): Need {
  const { status } = spawnSync('sh', ['-c', 'command -v "$1"', 'sh', program]);
  return { isHere: status === 0, what: program, from: PACKAGES[program] ?? program };
}

/** A test that needs all of this. The reporter of left-out suites reads what is missing, by suite. */
export function itNeeds(...needs: readonly Need[]): jest.It {
  const missing = needs.filter(({ isHere }) => !isHere);
  const list = process.env.EMBALLAGE_LEFT_OUT_LIST;
  const { testPath } = expect.getState();
  if (list !== undefined)
    for (const { what, from } of missing) appendFileSync(list, `${JSON.stringify({ testPath, what, from })}\n`);
  return missing.length === 0 ? it : it.skip;
}

/** A test that needs programs. */
export function itWith(...programs: readonly string[]): jest.It {
  return itNeeds(...programs.map(programNeed));
}
