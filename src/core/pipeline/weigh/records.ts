/** Recorded weights, to which later builds are held. They lie beside the sheet and belong to the project. */
import { join } from 'node:path';
import { comparePaths } from '../../base/paths';
import { writeInProject } from '../../disk/write';
import { readJsonRecord } from '../../project/json-record';
import { weightsNameOf, type Project } from '../../project/targets';
import type { WeightRecord, WeightRecords } from './record-schema';

export const DEFAULT_ALLOWANCE = '5 %';
const NOTHING_YET: WeightRecords = { weights: 1, functions: {} };

/** Empty where there is none. @throws EmballageError WEIGHTS_INVALID */
export async function readRecords(project: Project): Promise<WeightRecords> {
  const shown = weightsNameOf(project);
  const known = await readJsonRecord<WeightRecords>({
    path: join(project.root, shown),
    shown,
    doing: 'reading recorded weights',
    expected: 'weights of format 1, as `emballage weigh --budget` writes them',
    mend: 'take it from version control again, or remove it and record anew',
    code: 'WEIGHTS_INVALID',
    schema: async () => (await import('./record-schema')).recordSchema,
    state: project.state,
  });
  return known ?? NOTHING_YET;
}

/** What is recorded of a target; undefined where nothing is. */
export function recordOf(
  records: WeightRecords,
  name: string,
  arch: string,
): { readonly allow: string; readonly record: WeightRecord } | undefined {
  const known = Object.hasOwn(records.functions, name) ? records.functions[name] : undefined;
  const record = known !== undefined && Object.hasOwn(known.targets, arch) ? known.targets[arch] : undefined;
  return known === undefined || record === undefined ? undefined : { allow: known.allow, record };
}

export interface NewRecord {
  readonly name: string;
  readonly arch: string;
  readonly record: WeightRecord;
}

/** Records weights in place of those of before; everything else stays. One line a dependency. */
export async function writeRecords(project: Project, all: readonly NewRecord[], allow?: string): Promise<void> {
  const before = await readRecords(project);
  const functions = new Map(Object.entries(before.functions));
  for (const { name, arch, record } of all) {
    const known = functions.get(name);
    functions.set(name, {
      allow: allow ?? known?.allow ?? DEFAULT_ALLOWANCE,
      targets: { ...known?.targets, [arch]: record },
    });
  }
  const name = weightsNameOf(project);
  const sorted = Object.fromEntries([...functions].sort(([a], [b]) => comparePaths(a, b)));
  writeInProject(join(project.root, name), formatRecords({ weights: 1, functions: sorted }), name);
}

function formatRecords(records: WeightRecords): string {
  const text = JSON.stringify(records, null, 2);
  // A dependency is one line, so that a diff shows what grew.
  return `${text.replace(/\{\n\s+"name": [^{}]*\}/g, (one) => one.replace(/\n\s+/g, ' ').replace('{ ', '{').replace(' }', '}'))}\n`;
}
