/** Takes back what was sent. */
import { EmballageError } from '../../base/errors';
import { printable } from '../../base/text';
import type { Project } from '../../project/targets';
import { changeLedger, isSamePlace, readLedger, standing, type Delivery } from './ledger';
import type { TakenBack, Way } from './ways';

export interface Recalled extends TakenBack {
  readonly delivery: Delivery;
}

export interface RecallRequest {
  readonly project: Project;
  readonly way: Way;
  /** Milliseconds since 1970. */
  readonly now: () => number;
}

/** Takes back one delivery, as far as no other that stands uses what it brought. */
export async function recall({ project, way, now }: RecallRequest, delivery: Delivery): Promise<Recalled> {
  const others = readLedger(project).deliveries.filter(
    (one) => one.recalled === undefined && isSamePlace(one, delivery) && !isSameDelivery(one, delivery),
  );
  const taken = await way.takeBack(delivery, others);
  const recalled = new Date(now()).toISOString();
  await changeLedger(project, (deliveries) =>
    deliveries.map((one) => (isSameDelivery(one, delivery) ? { ...one, recalled } : one)),
  );
  return { delivery, ...taken };
}

function isSameDelivery(a: Delivery, b: Delivery): boolean {
  return a.digest === b.digest && a.sent === b.sent && a.destination === b.destination && isSamePlace(a, b);
}

export interface RecallChoice {
  /** Of the delivery or of one of its artifacts, or the beginning of it. */
  readonly digest?: string;
  readonly keep?: number;
  readonly all: boolean;
  readonly destination?: string;
}

/** What of a function’s deliveries is to be taken back, the newest first. */
export function toRecall(project: Project, name: string, choice: RecallChoice): Delivery[] {
  const { digest, keep, all, destination } = choice;
  const newest = standing(readLedger(project), name, destination);
  if (digest !== undefined) {
    const wanted = digest.replace('sha256:', '');
    const found = newest.filter((one) =>
      [one.digest, ...Object.values(one.artifacts)].some((own) => own.slice(7).startsWith(wanted)),
    );
    if (found.length > 0 && wanted !== '') return found;
    throw new EmballageError('USAGE', {
      doing: `recalling ${name}`,
      where: '--digest',
      expected: 'the digest of a delivery that stands',
      found: `\`${printable(digest)}\``,
      mend: `see \`emballage ledger ${name}\``,
    });
  }
  if (keep !== undefined) {
    // So many of each destination: what runs at one is not old because something newer runs at another.
    const seen = new Map<string, number>();
    return newest.filter((one) => {
      const count = (seen.get(one.destination) ?? 0) + 1;
      seen.set(one.destination, count);
      return count > keep;
    });
  }
  return all ? newest : newest.slice(0, 1);
}
