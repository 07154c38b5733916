/** `send`: delivers images to the registry of their destination. */
import { EmballageError } from '../../core/base/errors';
import { count, printable } from '../../core/base/text';
import { formatSize } from '../../core/base/units';
import { fileMemory } from '../../core/disk/upload-memory';
import { lookForChange } from '../../core/pipeline/build';
import { registryOf, sendImage, type Sent } from '../../core/pipeline/deliver';
import { KINDS } from '../../core/project/state';
import { selectFunctions } from '../../core/project/targets';
import { TOOL } from '../program';
import type { Session } from '../session';
import { EXIT, texts, type CommandModule } from './command';

export const command: CommandModule = {
  about:
    'Sends the images of functions to the registry of their destination, as they were built: all architectures under\n' +
    'one index, nothing that is there already. What was sent is noted in emballage.ledger beside the sheet. Logins come\n' +
    'from the auth file that engines share; REGISTRY_AUTH_FILE names another.',
  examples: [
    ['chart-render', 'send it under a tag made of its digest'],
    ['chart-render --tag 1.4.0 --tag latest', 'send it under tags of your own'],
  ],
  options: {
    tag: { value: 'TAG', type: 'string', requiresArg: true, describe: 'a tag for it; may be given several times' },
  },
  async run(args, session) {
    const project = await session.openProject();
    const names = texts(args, '_');
    const functions =
      names.length > 0
        ? selectFunctions(project.sheet, names)
        : project.sheet.functions.filter(({ form }) => form === 'image');
    if (functions.length === 0)
      throw new EmballageError('USAGE', {
        doing: 'choosing functions',
        expected: 'at least one with `artifact: image`',
        found: 'none in the sheet',
        mend: 'name a function whose artifact is an image',
      });
    for (const spec of functions) {
      registryOf(project, spec);
      await refuseOutdated(project, spec, session);
    }
    const sent: Sent[] = [];
    for (const spec of functions) {
      const one = await sendImage({
        ...{ project, spec, tags: texts(args, 'tag'), jobs: session.jobs },
        registry: (host, plainHttp) => session.registry(host, plainHttp),
        memory: fileMemory(project.state.folder(KINDS.uploads)),
        now: () => session.now(),
        onProgress: (done, total) =>
          session.progress.show(`sending ${spec.name}: ${formatSize(done)} of ${formatSize(total)}`),
      });
      sent.push(one);
      show(one, session);
    }
    session.document({ sent });
    const [only] = functions.length === 1 ? functions : [];
    session.next(`ledger${only === undefined ? '' : ` ${only.name}`}`, 'see what went where');
    return EXIT.done;
  },
};

/** What was changed since it was built is not what would be sent. */
async function refuseOutdated(
  project: Awaited<ReturnType<Session['openProject']>>,
  spec: Parameters<typeof lookForChange>[1],
  session: Session,
): Promise<void> {
  const epochSeconds = session.epochSeconds();
  const look = await lookForChange(
    { project, now: () => session.now(), tool: TOOL, ...(epochSeconds !== undefined && { epochSeconds }) },
    spec,
  );
  if (look.unchanged !== undefined) return;
  throw new EmballageError('ARTIFACT_MISSING', {
    doing: `sending ${spec.name}`,
    expected: 'an image built from the source as it is now',
    found: 'none, or one from before a change',
    mend: `run \`${session.command(`build ${spec.name}`)}\``,
  });
}

function show({ delivery, blobs, isSame }: Sent, session: Session): void {
  const { paint } = session;
  const { registry, repository, tags, digest, images } = delivery;
  const at = `${registry}/${repository}`;
  session.say(
    `${paint.bold(delivery.function)}  ${isSame ? paint.dim('is there already') : paint.good('sent')}  ${tags.map((tag) => paint.name(`${at}:${printable(tag)}`)).join(', ')}`,
  );
  session.tell(`  ${paint.dim('index')}   ${digest}`);
  for (const [arch, one] of Object.entries(images)) session.tell(`  ${paint.dim(arch.padEnd(7))} ${one}`);
  if (isSame) return;
  const bytes = (how: string): number =>
    blobs.filter((one) => one.how === how).reduce((sum, { size }) => sum + size, 0);
  const number = (how: string): number => blobs.filter((one) => one.how === how).length;
  const parts = [
    `${count(number('sent'), 'blob')} sent (${formatSize(bytes('sent'))})`,
    ...(number('mounted') > 0
      ? [`${String(number('mounted'))} taken from other repositories (${formatSize(bytes('mounted'))})`]
      : []),
    ...(number('there') > 0 ? [`${String(number('there'))} there already (${formatSize(bytes('there'))})`] : []),
  ];
  session.tell(`  ${paint.dim(parts.join(', '))}`);
}
