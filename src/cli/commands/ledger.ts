/** `ledger`: lists what was sent where. */
import { ledgerNameOf, readLedger, type Delivery } from '../../core/pipeline/deliver';
import { selectFunctions } from '../../core/project/targets';
import type { Session } from '../session';
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
    const deliveries = readLedger(project)
      .deliveries.filter((one) => wanted?.includes(one.function) ?? true)
      .filter(({ recalled }) => session.verbose || recalled === undefined)
      .reverse();
    session.document({ ledger: ledgerNameOf(project), deliveries });
    if (!session.json) await show(deliveries, session);
    const [newest] = deliveries;
    if (newest === undefined) session.next('send', 'send what was built');
    else session.next(`recall ${newest.function}`, 'take the newest back');
    return EXIT.done;
  },
};

async function show(deliveries: readonly Delivery[], session: Session): Promise<void> {
  const { paint } = session;
  if (deliveries.length === 0) {
    session.say('Nothing that was sent stands.');
    return;
  }
  const { table } = await import('../views/table');
  const rows = deliveries.map(({ function: name, registry, repository, tags, digest, images, sent, recalled }) => [
    paint.bold(name),
    recalled === undefined ? paint.good('stands') : paint.dim('recalled'),
    paint.name(`${registry}/${repository}:${tags.join(', :')}`),
    paint.dim(digest.slice(0, 19)),
    Object.keys(images).join(', '),
    paint.dim(sent.slice(0, 16).replace('T', ' ')),
  ]);
  session.say(table(rows));
}
