/** What Rust functions keep in the state folder. */
import type { StateKind } from '../../project/state/state';

export const KEPT = {
  crates: {
    name: 'crates',
    holds: 'crates, unpacked as Cargo wants to find them',
    dependsOn: 'the content of the crate',
    keptBy: 'code',
    of: 'user',
    most: { things: 2000, bytes: 4 * 1024 ** 3 },
  },
} as const satisfies Readonly<Record<string, StateKind>>;
