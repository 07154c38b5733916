/** What functions that are compiled keep in the state folder. */
import type { StateKind } from '../../project/state/state';

export const KEPT = {
  executables: {
    name: 'executables',
    holds: 'executables, stripped as the sheet wants them',
    dependsOn: 'the content of all files that were compiled, the packages, the compiler and its flags',
    keptBy: 'code',
    of: 'project',
    most: { things: 512, bytes: 4 * 1024 ** 3 },
  },
  work: {
    name: 'compilers',
    holds: 'what compilers keep of a function between two runs, and which files they read',
    dependsOn: 'what the compilers say themselves',
    keptBy: 'code',
    of: 'project',
    most: { things: 256, bytes: 16 * 1024 ** 3 },
  },
} as const satisfies Readonly<Record<string, StateKind>>;
