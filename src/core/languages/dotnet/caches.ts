/** What .NET functions keep in the state folder. */
import type { StateKind } from '../../project/state/state';

export const KEPT = {
  published: {
    name: 'published',
    holds: 'projects as the SDK published them',
    dependsOn: 'the sources, the packages, the SDK and what it was told',
    keptBy: 'code',
    of: 'project',
    most: { things: 200, bytes: 8 * 1024 ** 3 },
  },
} as const satisfies Readonly<Record<string, StateKind>>;
