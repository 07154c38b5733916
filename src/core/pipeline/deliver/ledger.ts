/** The ledger: what was sent where, and what was taken back. It lies beside the sheet and belongs to the project. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { z } from 'zod';
import { EmballageError, systemCode } from '../../base/errors';
import { contentDigest } from '../../disk/digest';
import { writeInProject } from '../../disk/write';
import { exclusively } from '../../project/state/exclusive';
import { ledgerNameOf, type Project } from '../../project/targets';
import { isVerified, noteVerified } from '../../project/verified';
import { ledgerSchema, type Delivery, type Ledger } from './ledger-schema';

export type { Delivery, Ledger } from './ledger-schema';

/** Marks that a merge leaves where two sides changed the same lines. */
const CONFLICT = /^(?:<{7}|={7}|>{7})/m;

/** Empty where there is none. @throws EmballageError LEDGER_INVALID */
export function readLedger(project: Project): Ledger {
  const name = ledgerNameOf(project);
  const bad = (found: string, cause?: unknown, mend?: string): EmballageError =>
    new EmballageError(
      'LEDGER_INVALID',
      {
        doing: 'reading the ledger',
        where: name,
        expected: 'a ledger as `emballage send` writes it',
        found,
        mend: mend ?? 'take it from version control again; without it nothing can be recalled',
      },
      cause,
    );
  let text = '';
  let value: unknown;
  try {
    text = readFileSync(join(project.root, name), 'utf8');
    value = JSON.parse(text);
  } catch (error) {
    if (systemCode(error) === 'ENOENT') return { ledger: 2, deliveries: [] };
    const mark = CONFLICT.exec(text);
    if (mark !== null)
      throw bad(
        `the marks of a merge, on line ${String(text.slice(0, mark.index).split('\n').length)}`,
        error,
        'keep the lines of both sides, each delivery once, with a comma between them',
      );
    throw bad('text that is no JSON: it was cut off, edited by hand or merged badly', error);
  }
  const digest = contentDigest(text);
  if (isVerified(project.state, digest)) return value as Ledger;
  const read = ledgerSchema(project.languages.ways.map((way) => way.name)).safeParse(value);
  if (!read.success) throw bad(`${faultIn(read.error)}, which is not as the format wants it`);
  noteVerified(project.state, digest);
  return read.data;
}

/** `deliveries.3.digest`. */
function faultIn({ issues }: z.ZodError): string {
  const path = issues[0]?.path.map(String).join('.') ?? '';
  return path === '' ? 'its whole' : `\`${path}\``;
}

/** One line a delivery: what is added shows in a diff as the line that was added. */
function writeLedger(project: Project, deliveries: readonly Delivery[]): void {
  const lines = deliveries.map((one) => `    ${JSON.stringify(one)}`);
  const name = ledgerNameOf(project);
  const list = lines.length === 0 ? '' : `\n${lines.join(',\n')}\n  `;
  writeInProject(join(project.root, name), `{\n  "ledger": 2,\n  "deliveries": [${list}]\n}\n`, name);
}

/** Changes the ledger as it is now: others may write to it meanwhile. */
export function changeLedger(
  project: Project,
  change: (deliveries: readonly Delivery[]) => readonly Delivery[],
): Promise<void> {
  return exclusively({ state: project.state, what: 'ledger' }, () => {
    const { deliveries } = readLedger(project);
    const changed = change(deliveries);
    if (changed !== deliveries) writeLedger(project, changed);
  });
}

/** What is sent again unchanged is noted once. @param isTagged whether the same may stand under other tags, too */
export function noteDelivery(project: Project, delivery: Delivery, isTagged: boolean): Promise<void> {
  return changeLedger(project, (deliveries) => {
    const [last] = standing({ deliveries }, delivery.function, delivery.destination);
    const isNoted = isTagged
      ? deliveries.some((one) => isSame(one, delivery))
      : last !== undefined && isSame(last, delivery);
    return isNoted ? deliveries : [...deliveries, delivery];
  });
}

function isSame(a: Delivery, b: Delivery): boolean {
  const { sent: _a, from: _c, ...one } = a;
  const { sent: _b, from: _d, ...other } = b;
  return contentOf(one) === contentOf(other);
}

function contentOf(value: object): string {
  return JSON.stringify(Object.entries(value).sort(([a], [b]) => (a < b ? -1 : 1)));
}

/** What stands for a function: sent and not taken back, the newest first. @param destination of all where it is not given */
export function standing(
  ledger: { readonly deliveries: readonly Delivery[] },
  name: string,
  destination?: string,
): Delivery[] {
  return ledger.deliveries
    .filter((one) => one.function === name && one.recalled === undefined)
    .filter((one) => destination === undefined || one.destination === destination)
    .reverse();
}

/**
 * Tags that a delivery was sent under and that name a newer one since. @param all deliveries of the ledger, the oldest first
 */
export function movedTags(all: readonly Delivery[], delivery: Delivery): string[] {
  const { digest, tags = [] } = delivery;
  const later = all.slice(all.indexOf(delivery) + 1);
  const isOther = (one: Delivery): boolean =>
    isSamePlace(one, delivery) && one.digest !== digest && one.recalled === undefined;
  return tags.filter((tag) => later.some((one) => isOther(one) && one.tags?.includes(tag) === true));
}

/** Whether two deliveries lie at the same place. */
export function isSamePlace(a: Delivery, b: Delivery): boolean {
  return a.way === b.way && a.at === b.at && a.repository === b.repository && a.function === b.function;
}
