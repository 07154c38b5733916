/** The shapes of what Node.js functions write into lock and waybill. */
import { z } from 'zod';
import { unsafePathReason } from '../../base/paths';
import type { PartSchemas } from '../../sheet';

/** Whether a path stays below where it is put. */
const isPlace = (path: string): boolean => unsafePathReason(path) === undefined;

const package_ = z.strictObject({
  at: z.string().refine(isPlace, 'a path in the artifact').meta({ description: 'Where it lies in the artifact.' }),
  script: z
    .literal(true)
    .optional()
    .meta({ description: 'It has a script that wants to run when it is installed, which never happens here.' }),
  engines: z.string().optional().meta({ description: 'Versions of Node.js that it is for.' }),
});

export const nodeParts: PartSchemas = {
  lockedPackage: package_,
  carriedPackage: package_,
  locked: z.strictObject({
    workspaces: z.array(
      z.strictObject({
        at: z.string().refine(isPlace, 'a path in the artifact'),
        folder: z.string().refine(isPlace, 'a folder of the project'),
      }),
    ),
  }),
};
