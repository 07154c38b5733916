/** What JVM functions keep in the state folder. */
import type { StateKind } from '../../project/state/state';

export const KEPT = {
  classes: {
    name: 'classes',
    holds: 'the function’s own code as JARs',
    dependsOn: 'the content of sources, class path and compiler',
    keptBy: 'code',
    of: 'project',
    most: { things: 1000, bytes: 1024 ** 3 },
  },
  shaded: {
    name: 'shaded',
    holds: 'JARs that are ready to be merged, and classes without what is not reached',
    dependsOn: 'the content of the JAR and how it is shaded; the content of all classes',
    keptBy: 'code',
    of: 'project',
    most: { things: 4000, bytes: 4 * 1024 ** 3 },
  },
} as const satisfies Readonly<Record<string, StateKind>>;
