/** Tests that need a library that fakes the time are left out where there is none. */
import { existsSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { itNeeds } from './needs';

const ROOT = '/usr/lib';

export const hasFakedClock = ['', ...(existsSync(ROOT) ? readdirSync(ROOT) : [])].some((folder) =>
  existsSync(join(ROOT, folder, 'faketime/libfaketimeMT.so.1')),
);

export const itWithClock = itNeeds({ isHere: hasFakedClock, what: 'a faked clock', from: 'libfaketime' });
