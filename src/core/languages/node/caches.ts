/** What Node.js functions keep in the state folder. */
import type { StateKind } from '../../project/state/state';

export const KEPT = {
  modules: {
    name: 'modules',
    holds: 'what modules of JavaScript say of themselves, a book for each function',
    dependsOn: 'the content of each module',
    byFunction: true,
    keptBy: 'code',
    of: 'project',
    most: { things: 1000, bytes: 512 * 1024 ** 2 },
  },
  mentions: {
    name: 'mentions',
    holds: 'which of its files the code of a package speaks of',
    dependsOn: 'the content of the package',
    keptBy: 'code',
    of: 'user',
    most: { things: 4000 },
  },
  links: {
    name: 'links',
    holds: 'what the last linking of a function came to',
    dependsOn: 'the modules, their settings and the compiler’s',
    byFunction: true,
    keptBy: 'code',
    of: 'project',
    most: { things: 1000, bytes: 1024 ** 3 },
  },
  integrity: {
    name: 'integrity',
    holds: 'which file has an integrity that a lock states',
    dependsOn: 'that integrity',
    keptBy: 'digest',
    of: 'user',
    most: { things: 20_000 },
  },
} as const satisfies Readonly<Record<string, StateKind>>;
