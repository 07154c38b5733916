/** `ledger`: lists what was sent where. */
import { movedTags, readLedger, type Delivery } from '../../core/pipeline/deliver';
import { printable } from '../../core/base/text';
import { ledgerNameOf, selectFunctions } from '../../core/project/targets';
import { placeOf } from '../delivering/delivering';
import type { Session } from '../session/session';
import { EXIT, texts, type CommandModule } from './command';

export const command: CommandModule = {
  about: 'Lists what was sent where, the newest first: what stands, and with --verbose also what was taken back.',
  examples: [
    ['', 'everything that stands'],
    ['chart-render --verbose', 'all that was ever sent of one function'],
  ],
  options: {},
  async run(args, session) {
    const project = await session.openProject();
    const names = texts(args, '_');
    const wanted = names.length === 0 ? undefined : selectFunctions(project.sheet, names).map(({ name }) => name);
    const all = readLedger(project).deliveries;
    const deliveries = all
      .filter((one) => wanted?.includes(one.function) ?? true)
      .filter(({ recalled }) => session.verbose || recalled === undefined)
      .reverse();
    const moved = new Map(deliveries.map((one) => [one, movedTags(all, one)]));
    session.document({
      ledger: ledgerNameOf(project),
      deliveries: deliveries.map((one) => ({ ...one, moved: moved.get(one) ?? [] })),
    });
    if (!session.json) await show(deliveries, moved, session);
    const [newest] = deliveries;
    if (newest === undefined) session.next('send', 'send what was built');
    else session.next(`recall ${newest.function}`, 'take the newest back');
    return EXIT.done;
  },
};

async function show(
  deliveries: readonly Delivery[],
  moved: ReadonlyMap<Delivery, readonly string[]>,
  session: Session,
): Promise<void> {
  const { paint } = session;
  if (deliveries.length === 0) {
    session.say('Nothing that was sent stands.');
    return;
  }
  const { table } = await import('../views/table');
  const rows = deliveries.map((one) => {
    const { function: name, destination, digest, artifacts, sent, recalled, version } = one;
    const gone = moved.get(one) ?? [];
    const tags = (one.tags ?? []).filter((tag) => !gone.includes(tag));
    return [
      paint.bold(name),
      recalled === undefined ? paint.good('stands') : paint.dim('recalled'),
      destination,
      paint.name(printable(whereOf(one, tags))) +
        (gone.length === 0 ? '' : paint.dim(` (${gone.join(', ')} moved on)`)) +
        (version === undefined ? '' : paint.dim(` ${printable(version)}`)),
      paint.dim(digest.slice(0, 19)),
      Object.keys(artifacts).join(', '),
      paint.dim(sent.slice(0, 16).replace('T', ' ')),
    ];
  });
  session.say(table(rows));
}

/** At a registry with the tags that still name it. */
function whereOf(delivery: Delivery, tags: readonly string[]): string {
  const place = placeOf({ ...delivery, tags: [] });
  return tags.length === 0 ? place : `${place}:${tags.join(', :')}`;
}
