/** The ledger: what was sent where, and what was taken back. It lies beside the sheet and belongs to the project. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { EmballageError, systemCode } from '../../base/errors';
import { contentDigest } from '../../disk/digest';
import { writeWhole } from '../../disk/write';
import { ledgerNameOf, type Project } from '../../project/targets';
import { isVerified, noteVerified } from '../../project/verified';
import { ledgerSchema, type Delivery, type Ledger } from './ledger-schema';

export type { Delivery, Ledger } from './ledger-schema';

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
  let text: string;
  let value: unknown;
  try {
    text = readFileSync(join(project.root, name), 'utf8');
    value = JSON.parse(text);
  } catch (error) {
    if (systemCode(error) === 'ENOENT') return { ledger: 1, deliveries: [] };
    throw bad('text that is no JSON: it was cut off, edited by hand or merged badly', error);
  }
  const digest = contentDigest(text);
  if (isVerified(project.state, digest)) return value as Ledger;
  const read = ledgerSchema.safeParse(value);
  if (!read.success)
    throw bad(`\`${read.error.issues[0]?.path.map(String).join('.') ?? ''}\`, which is not as the format wants it`);
  noteVerified(project.state, digest);
  return read.data;
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

/**
 * Tags that a delivery was sent under and that name a newer one since. @param all deliveries of the ledger, the oldest first
 */
export function movedTags(all: readonly Delivery[], delivery: Delivery): string[] {
  const { registry, repository, digest, tags } = delivery;
  const later = all.slice(all.indexOf(delivery) + 1);
  const isOther = (one: Delivery): boolean =>
    one.registry === registry && one.repository === repository && one.digest !== digest && one.recalled === undefined;
  return tags.filter((tag) => later.some((one) => isOther(one) && one.tags.includes(tag)));
}

/** Whether the registry that something was sent to may be spoken to without encryption: as its destination says today. */
export function isPlainHttp(project: Project, { destination, registry }: Delivery): boolean {
  const at = project.sheet.destinations[destination]?.registry;
  return at?.host === registry && at.plainHttp;
}
