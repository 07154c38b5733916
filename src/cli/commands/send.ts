/** `send`: delivers functions to a destination, or promotes what stands at another. */
import { EmballageError } from '../../core/base/errors';
import { count, printable } from '../../core/base/text';
import { formatSize } from '../../core/base/units';
import { checkStanding, type CheckedArtifact } from '../../core/pipeline/check';
import {
  builtPayload,
  deliveryAt,
  destinationOf,
  fetchedPayload,
  linkOf,
  lookAtDestination,
  openWay,
  paperTexts,
  send,
  type DeliveryWorld,
  type Drift,
  type Payload,
  type Sent,
  type Way,
  type What,
  wayOf,
  isAsked,
  wayKind,
} from '../../core/pipeline/deliver';
import { selectFunctions, type Project } from '../../core/project/targets';
import type { Destination, FunctionSpec } from '../../core/sheet';
import { surroundingsOf } from '../checking';
import { checkBuilt, deliveryWorld, destinationNamed, fits, placeOf } from '../delivering/delivering';
import { refuseOutdated } from '../outdated';
import { withScratch } from '../session/scratch';
import type { Session } from '../session/session';
import { EXIT, text, texts, type Arguments, type CommandModule, type ExitCode } from './command';

export const command: CommandModule = {
  about:
    'Delivers functions to their destination, or to that of --to: to a registry, a folder, an address, a host or a\n' +
    'program of yours, as `deliver` in the destination says. They are checked against it first, and a stop finding ends\n' +
    'it. Only what differs is sent: code, settings, both or nothing. With --from the very bytes that stand at another\n' +
    'destination go there, without a build. What was sent is noted in emballage.ledger beside the sheet.',
  examples: [
    ['chart-render --tag 1.4.0 --tag latest', 'send an image under tags of your own'],
    ['surge-alert --to slipway --dry-run', 'see what sending it to a destination would do'],
  ],
  options: {
    to: {
      value: 'DESTINATION',
      proposes: 'destinations',
      type: 'string',
      requiresArg: true,
      describe: 'the destination; that of each function otherwise',
    },
    from: {
      value: 'DESTINATION',
      proposes: 'destinations',
      type: 'string',
      requiresArg: true,
      describe: 'promote what stands there, instead of what is built here',
    },
    tag: {
      value: 'TAG',
      type: 'string',
      requiresArg: true,
      describe: 'at a registry: a tag for it; may be given several times',
    },
    again: {
      type: 'boolean',
      default: false,
      describe: 'send all of it, even where nothing differs, such as a secret that a program delivers',
    },
    'dry-run': { type: 'boolean', default: false, describe: 'only say what would be sent' },
  },
  async run(args, session) {
    const project = await session.openProject();
    const to = text(args, 'to');
    const from = text(args, 'from');
    if (to !== undefined) destinationNamed(project, to, '--to');
    const source = from === undefined ? undefined : destinationNamed(project, from, '--from');
    const functions = chosen(project, texts(args, '_'), to);
    refuseFromItself(functions, from, to);
    const world = deliveryWorld(project, session);
    // All of them are looked at before the first is sent.
    for (const spec of functions) {
      await openWay(world, destinationOf(project, spec, to), `sending ${spec.name}`);
      if (source === undefined) await refuseOutdated(project, spec, `sending ${spec.name}`, session);
    }
    return withScratch('send', (scratch) => sendAll({ project, world, args, session, scratch, to, source }, functions));
  },
};

interface Sending {
  readonly project: Project;
  readonly world: DeliveryWorld;
  readonly args: Arguments;
  readonly session: Session;
  readonly scratch: string;
  readonly to: string | undefined;
  readonly source: Destination | undefined;
}

async function sendAll(sending: Sending, functions: readonly FunctionSpec[]): Promise<ExitCode> {
  const { project, session, args } = sending;
  const isDry = args['dry-run'] === true;
  const ready: Prepared[] = [];
  for (const spec of functions) {
    const one = await prepared(sending, spec);
    if (!(await fits(one.checked, session))) {
      session.document({ fit: false, sent: [] });
      session.complain(`${session.paint.bad('not sent')}: ${spec.name} does not fit ${one.payload.destination.name}`);
      session.nextAside(`check ${spec.name}`, 'see all that was looked for');
      return EXIT.no;
    }
    ready.push(one);
  }
  const sent: (
    | Sent
    | { readonly name: string; readonly destination: string; readonly what: What; readonly drifts: readonly Drift[] }
  )[] = [];
  for (const { way, payload } of ready) {
    const request = {
      project,
      way,
      payload,
      tags: texts(args, 'tag'),
      jobs: session.jobs,
      isWhole: args.again === true,
      ...(sending.source !== undefined && { from: sending.source.name }),
      now: () => session.now(),
      onProgress: (done: number, total: number) =>
        session.progress.show(`sending ${payload.name}: ${formatSize(done)} of ${formatSize(total)}`),
    };
    if (isDry) {
      const { what, drifts } = await lookAtDestination(request);
      sent.push({ name: payload.name, destination: payload.destination.name, what, drifts });
      showPlan(payload, what, drifts, session);
    } else {
      const one = await send(request);
      sent.push(one);
      show(one, payload, session);
    }
  }
  session.document({ fit: true, sent });
  sayNext(sending, functions, ready[0]?.payload);
  return EXIT.done;
}

function sayNext(
  { args, to, source, session }: Sending,
  functions: readonly FunctionSpec[],
  first: Payload | undefined,
): void {
  const names = functions.length === 1 ? ` ${functions[0]?.name ?? ''}` : '';
  const where = [...(source === undefined ? [] : ['--from', source.name]), ...(to === undefined ? [] : ['--to', to])];
  if (args['dry-run'] === true) session.next([`send${names}`, ...where].join(' '), 'send it');
  else if (first !== undefined && isAsked(first.destination.deliver))
    session.next(`try ${first.name} --there ${first.destination.name}`, 'call it where it stands');
  else session.next(`ledger${names}`, 'see what went where');
}

interface Prepared {
  readonly way: Way;
  readonly payload: Payload;
  readonly checked: readonly CheckedArtifact[];
}

async function prepared(
  { project, world, session, scratch, to, source }: Sending,
  spec: FunctionSpec,
): Promise<Prepared> {
  const destination = destinationOf(project, spec, to);
  const way = await openWay(world, destination, `sending ${spec.name}`);
  const request = { project, spec, destination, variable: (name: string) => process.env[name] };
  if (source === undefined)
    return {
      way,
      payload: await builtPayload(request),
      checked: await checkBuilt(project, spec, destination, { session, scratch }),
    };
  const delivery = deliveryAt(request, source);
  const from = await wayOf(world, delivery, `fetching ${spec.name} from ${source.name}`);
  const { payload, waybills } = await fetchedPayload(request, {
    way: from,
    delivery,
    into: `${scratch}/${spec.name}`,
    onProgress: (done, total) =>
      session.progress.show(`fetching ${spec.name}: ${String(Math.round((done / Math.max(1, total)) * 100))} %`),
  });
  const checked: CheckedArtifact[] = [];
  const around = surroundingsOf(project, session, scratch);
  for (const part of payload.parts) {
    const { arch, path } = part;
    const waybill = waybills.get(arch);
    const standing = {
      path,
      shown: `${spec.name} from ${source.name}`,
      papers: paperTexts(part),
      waybill: waybill?.value,
      waybillText: waybill?.text ?? '',
    };
    checked.push(await checkStanding(project, { spec, arch }, destination, standing, around));
  }
  return { way, payload, checked };
}

/** Those that are named; otherwise all that can be sent to where they go. */
function chosen(project: Project, names: readonly string[], to: string | undefined): FunctionSpec[] {
  if (names.length > 0) return selectFunctions(project.sheet, names);
  const functions = project.sheet.functions.filter(
    (spec) => project.sheet.destinations[to ?? spec.destination]?.deliver !== undefined,
  );
  if (functions.length > 0) return functions;
  throw new EmballageError('USAGE', {
    doing: 'choosing functions',
    expected: 'at least one whose destination has `deliver`',
    found: 'none in the sheet',
    mend: 'add `deliver` to the destination: `deliver: { folder: … }`, say',
  });
}

function refuseFromItself(functions: readonly FunctionSpec[], from: string | undefined, to: string | undefined): void {
  if (from === undefined || !functions.some((spec) => (to ?? spec.destination) === from)) return;
  throw new EmballageError('USAGE', {
    doing: 'reading the command line',
    where: '--from',
    expected: 'another destination than that it goes to',
    found: `\`${from}\` for both`,
    mend: 'name another with --to',
  });
}

const WHATS: Readonly<Record<What, string>> = {
  code: 'code',
  settings: 'settings',
  both: 'code and settings',
  nothing: 'nothing',
};

function showPlan(payload: Payload, what: What, drifts: readonly Drift[], session: Session): void {
  const { paint } = session;
  const text = what === 'nothing' ? paint.dim('would send nothing') : `would send ${paint.doubt(WHATS[what])}`;
  session.say(`${paint.bold(payload.name)}  ${text}  ${paint.name(payload.destination.name)}`);
  for (const { what: of, here, there } of drifts) session.tell(`  ${paint.dim(of.padEnd(18))} ${there} → ${here}`);
}

function show({ delivery, what, drifts, blobs, isSame }: Sent, payload: Payload, session: Session): void {
  const { paint } = session;
  const state = isSame ? paint.dim('is there already') : `${paint.good('sent')} ${paint.dim(WHATS[what])}`;
  session.say(
    `${paint.bold(delivery.function)}  ${state}  ${paint.name(delivery.destination)}  ${paint.name(printable(placeOf(delivery)))}`,
  );
  const { version, artifacts, from, digest } = delivery;
  if (from !== undefined) session.tell(`  ${paint.dim('promoted from')} ${from}`);
  if (version !== undefined) session.tell(`  ${paint.dim('version')} ${printable(version)}`);
  const { isTagged, units } = wayKind(delivery.way);
  if (isTagged === true) session.tell(`  ${paint.dim('index  ')} ${digest}`);
  for (const [arch, one] of Object.entries(artifacts)) session.tell(`  ${paint.dim(arch.padEnd(7))} ${one}`);
  const set = drifts.filter(({ what: of }) => /^(?:setting |(?:runtime|entry|memory|timeout|adapter|shape)$)/.test(of));
  if (!isSame && what !== 'code')
    for (const { what: of, here, there } of set.slice(0, 8)) session.tell(`  ${paint.dim(of)}  ${there} → ${here}`);
  const link = linkOf(payload, delivery);
  if (link !== undefined) session.tell(`  ${paint.dim('link   ')} ${paint.name(link)}`);
  if (isSame || blobs.length === 0) return;
  const bytes = (how: string): number =>
    blobs.filter((one) => one.how === how).reduce((sum, { size }) => sum + size, 0);
  const number = (how: string): number => blobs.filter((one) => one.how === how).length;
  const parts = [
    `${count(number('sent'), units.sent)} sent (${formatSize(bytes('sent'))})`,
    ...(number('mounted') > 0
      ? [`${String(number('mounted'))} taken from other repositories (${formatSize(bytes('mounted'))})`]
      : []),
    ...(number('there') > 0 ? [`${String(number('there'))} there already (${formatSize(bytes('there'))})`] : []),
  ];
  session.tell(`  ${paint.dim(parts.join(', '))}`);
}
