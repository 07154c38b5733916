/** What Python functions keep in the state folder. */
import type { StateKind } from '../../project/state/state';

export const KEPT = {
  facts: {
    name: 'facts',
    holds: 'what modules of Python say of themselves',
    dependsOn: 'the content of each module',
    keptBy: 'code',
    of: 'user',
    most: { things: 50_000, bytes: 512 * 1024 ** 2 },
  },
  metadata: {
    name: 'metadata',
    holds: 'the metadata of wheels, without the rest of them',
    dependsOn: 'the address of the wheel, and the digest that is stated of it',
    keptBy: 'code',
    of: 'user',
    most: { things: 20_000 },
  },
  bytecode: {
    name: 'bytecode',
    holds: 'compiled bytecode',
    dependsOn: 'the content and path of the module, and the interpreter',
    keptBy: 'code',
    of: 'project',
    most: { things: 50_000, bytes: 1024 ** 3 },
  },
} as const satisfies Readonly<Record<string, StateKind>>;
