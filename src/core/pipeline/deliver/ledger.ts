/** The ledger: what was sent where, and what was taken back. It lies beside the sheet and belongs to the project. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { z } from 'zod';
import { EmballageError, systemCode } from '../../base/errors';
import { baseOf } from '../../base/paths';
import { writeWhole } from '../../disk/write';
import type { Project } from '../../project/targets';

const digest = z.string().regex(/^sha256:[0-9a-f]{64}$/);

const delivery = z.strictObject({
  function: z.string(),
  destination: z.string(),
  /** `harbour.example:5000`. */
  registry: z.string(),
  /** Name of the repository there. */
  repository: z.string(),
  /** Of the index over all architectures. */
  digest,
  tags: z.array(z.string()),
  /** Digest of the image of each architecture. */
  images: z.record(z.string(), digest),
  /** When it was sent, RFC 3339. */
  sent: z.string(),
  /** When it was taken back. */
  recalled: z.string().optional(),
});

export const ledgerSchema = z
  .strictObject({ ledger: z.literal(1), deliveries: z.array(delivery) })
  .meta({ title: 'Emballage ledger' });

export type Delivery = z.output<typeof delivery>;
export type Ledger = z.output<typeof ledgerSchema>;

/** The ledger of a sheet lies beside it, under its name: `emballage.yaml` has `emballage.ledger`. */
export function ledgerNameOf({ files: [sheet = 'emballage.yaml'] }: Pick<Project, 'files'>): string {
  return `${baseOf(sheet).replace(/\.ya?ml$/, '')}.ledger`;
}

/** Empty where there is none. @throws EmballageError LEDGER_INVALID */
export function readLedger(project: Project): Ledger {
  const name = ledgerNameOf(project);
  const bad = (found: string, cause?: unknown): EmballageError =>
    new EmballageError(
      'LEDGER_INVALID',
      {
        doing: 'reading the ledger',
        where: name,
        expected: 'a ledger of format 1, as `emballage send` writes it',
        found,
        mend: 'take it from version control again; without it nothing can be recalled',
      },
      cause,
    );
  let value: unknown;
  try {
    value = JSON.parse(readFileSync(join(project.root, name), 'utf8'));
  } catch (error) {
    if (systemCode(error) === 'ENOENT') return { ledger: 1, deliveries: [] };
    throw bad('text that is no JSON: it was cut off, edited by hand or merged badly', error);
  }
  const read = ledgerSchema.safeParse(value);
  if (read.success) return read.data;
  throw bad(`\`${read.error.issues[0]?.path.map(String).join('.') ?? ''}\`, which is not as the format wants it`);
}

/** One line a delivery: what is added shows in a diff as the line that was added. */
export function writeLedger(project: Project, { deliveries }: Ledger): void {
  const lines = deliveries.map((one) => `    ${JSON.stringify(one)}`);
  const name = ledgerNameOf(project);
  const list = lines.length === 0 ? '' : `\n${lines.join(',\n')}\n  `;
  writeWhole(join(project.root, name), `{\n  "ledger": 1,\n  "deliveries": [${list}]\n}\n`, name);
}

/** What stands for a function: sent and not taken back, the newest first. */
export function standing(ledger: Ledger, name: string): Delivery[] {
  return ledger.deliveries.filter((one) => one.function === name && one.recalled === undefined).reverse();
}

/** Whether the registry that something was sent to may be spoken to without encryption: as its destination says today. */
export function isPlainHttp(project: Project, { destination, registry }: Delivery): boolean {
  const at = project.sheet.destinations[destination]?.registry;
  return at?.host === registry && at.plainHttp;
}
