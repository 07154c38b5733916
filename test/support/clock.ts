/** Tests that need a library that fakes the time are left out where there is none. */
import { existsSync, readdirSync } from 'node:fs';
import { join } from 'node:path';

const ROOT = '/usr/lib';

export const hasFakedClock = ['', ...(existsSync(ROOT) ? readdirSync(ROOT) : [])].some((folder) =>
  existsSync(join(ROOT, folder, 'faketime/libfaketimeMT.so.1')),
);
if (!hasFakedClock)
  process.stderr.write('left out: tests with a faked clock; scripts/toolchains.sh installs what fakes it\n');

export const itWithClock = hasFakedClock ? it : it.skip;
