/** `recall`: takes back what was sent. */
import { EmballageError } from '../../core/base/errors';
import { count, printable } from '../../core/base/text';
import {
  wayOf,
  readLedger,
  recall,
  standing,
  toRecall,
  type Recalled,
  type RecallChoice,
  wayKind,
} from '../../core/pipeline/deliver';
import { selectFunctions, type Project } from '../../core/project/targets';
import { deliveryWorld, destinationNamed, placeOf } from '../delivering/delivering';
import type { Session } from '../session/session';
import { EXIT, text, texts, wholeNumber, type Arguments, type CommandModule } from './command';

const MAX_KEEP = 10_000;

export const command: CommandModule = {
  about:
    'Takes back what the ledger says was sent: the newest delivery of a function, one by its digest, or all but the\n' +
    'newest ones, so that old ones do not go on costing money. What another delivery still uses stays; at a host the\n' +
    'version before becomes current again. How much room that frees at a registry is for it to say.',
  examples: [
    ['chart-render', 'take back what was sent last'],
    ['chart-render --keep 3', 'take back all but the three newest'],
  ],
  options: {
    digest: {
      value: 'DIGEST',
      type: 'string',
      requiresArg: true,
      describe: 'the delivery with that digest, or the beginning of it',
    },
    keep: { value: 'N', type: 'number', requiresArg: true, describe: 'all but so many of the newest' },
    from: {
      value: 'DESTINATION',
      proposes: 'destinations',
      type: 'string',
      requiresArg: true,
      describe: 'only what was sent there',
    },
    all: { type: 'boolean', default: false, describe: 'every delivery that stands' },
  },
  async run(args, session) {
    const project = await session.openProject();
    const names = texts(args, '_');
    const choice = choiceFrom(args);
    if (names.length === 0)
      throw new EmballageError('USAGE', {
        doing: 'reading the command line',
        expected: 'the functions to recall',
        found: 'none',
        mend: 'name them',
      });
    if (choice.destination !== undefined) destinationNamed(project, choice.destination, '--from');
    const world = deliveryWorld(project, session);
    const recalled: Recalled[] = [];
    for (const { name } of selectFunctions(project.sheet, names))
      for (const delivery of toRecall(project, name, choice)) {
        session.progress.show(`recalling ${name} ${delivery.digest.slice(0, 19)}`);
        const way = await wayOf(world, delivery, `recalling ${name}`);
        const one = await recall({ project, way, now: () => session.now() }, delivery);
        recalled.push(one);
        show(one, session);
      }
    session.document({ recalled });
    if (recalled.length === 0) session.say(whyNothing(project, names, choice.keep));
    session.next(`ledger ${names[0] ?? ''}`, 'see what stands');
    return EXIT.done;
  },
};

function whyNothing(project: Project, names: readonly string[], keep: number | undefined): string {
  const ledger = readLedger(project);
  const stand = names.reduce((sum, name) => sum + standing(ledger, name).length, 0);
  if (stand === 0 || keep === undefined) return 'Nothing that was sent stands.';
  return `Nothing to recall: ${stand === 1 ? 'one delivery stands' : `${String(stand)} deliveries stand`}, and no more than ${String(keep)} of a function.`;
}

function choiceFrom(args: Arguments): RecallChoice {
  const digest = text(args, 'digest');
  const keep = args.keep === undefined ? undefined : Number(args.keep);
  const chosen = [digest, keep, args.all === true ? true : undefined].filter((one) => one !== undefined);
  if (chosen.length > 1)
    throw new EmballageError('USAGE', {
      doing: 'reading the command line',
      expected: 'one of --digest, --keep and --all',
      found: 'several',
      mend: 'keep one of them',
    });
  if (keep !== undefined) wholeNumber(args.keep, '--keep', 0, MAX_KEEP);
  const destination = text(args, 'from');
  return {
    all: args.all === true,
    ...(destination !== undefined && { destination }),
    ...(digest !== undefined && { digest }),
    ...(keep !== undefined && { keep }),
  };
}

function show(recalled: Recalled, session: Session): void {
  const { delivery, deleted, kept, tagsLeft, referrers, unknownTags, current } = recalled;
  const { paint } = session;
  const { way, destination, tags, digest, ...where } = delivery;
  const at = placeOf({ ...where, way, destination, digest });
  session.say(
    `${paint.bold(delivery.function)}  ${paint.good('recalled')}  ${destination}  ${paint.name(printable(at))}  ${paint.dim(`${tags === undefined ? '' : `${tags.join(', ')}  `}${digest.slice(0, 19)}`)}`,
  );
  if (current !== undefined) session.tell(`  ${paint.dim('current again:')} ${printable(current)}`);
  const what = `${count(deleted.length, wayKind(way).units.deleted)} deleted${kept.length === 0 ? '' : `, ${String(kept.length)} kept for another delivery`}`;
  session.tell(`  ${paint.dim(what)}`);
  const note = (text: string): void => session.remark(`${paint.doubt('note')} ${text}`);
  if (referrers.length > 0)
    note(
      `${count(referrers.length, 'manifest')} of others referred to it, such as signatures; who made them takes them back`,
    );
  const unknown = unknownTags.filter((tag) => !tagsLeft.includes(tag));
  if (unknown.length > 0)
    note(`${at} has ${count(unknown.length, 'tag')} that the ledger does not know: ${unknown.slice(0, 8).join(', ')}`);
  if (tagsLeft.length > 0)
    note(
      `${tagsLeft.join(', ')} still ${tagsLeft.length === 1 ? 'names' : 'name'} it: the registry deletes no tags alone`,
    );
}
