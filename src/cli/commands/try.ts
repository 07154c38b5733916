/** `try`: calls a function from its unpacked artifact. */
import { resolve, join } from 'node:path';
import { EmballageError } from '../../core/base/errors';
import { present } from '../../core/base/present';
import { listed } from '../../core/base/text';
import { formatSize } from '../../core/base/units';
import { readEvent, type NamedEvent, type Taken } from '../../core/events';
import { takenBy } from '../../core/pipeline/check';
import { eventPaths } from '../../core/project/events';
import { selectFunctions, type Project, type Target } from '../../core/project/targets';
import { ARCHITECTURES, type FunctionSpec } from '../../core/sheet';
import type { Waybill } from '../../core/waybill';
import { judgeResponse, runInHost, type CallReport, type HostOutcome, type HostPlan } from '../../standins/host';
import { guessOf, remarkEvents } from '../calling/event-remarks';
import { chooseArch, planCalls, planSent } from '../calling/calling';
import { withScratch } from '../session/scratch';
import type { Session } from '../session/session';
import { callText, summaryText, unendedText, unheldText } from '../views/call';
import { profileStarts } from '../calling/profile';
import { profileText } from '../views/profile';
import { cutModules, cutText, recordOf, recordText } from '../views/record';
import { EXIT, text, texts, wholeNumber, type Arguments, type CommandModule, type ExitCode } from './command';

const MAX_REPEATS = 10_000;

export const command: CommandModule = {
  about:
    'Unpacks the artifact (never the source) into a fresh read-only folder and calls the function in a process of its\n' +
    'own: only the declared settings in its environment, its memory and time limits enforced. Events are CloudEvents;\n' +
    'a plain JSON file is wrapped as the data of one. A secret setting is taken from the environment of this command.',
  examples: [
    ['surge-alert --event flood.json --repeat 3', 'call it three times with one event'],
    ['surge-alert --watch --port 8080', 'call it with any HTTP client, and again after every change'],
  ],
  options: {
    event: {
      value: 'FILE',
      proposes: 'files',
      type: 'string',
      requiresArg: true,
      describe: 'an event file; may be given several times',
    },
    repeat: { value: 'N', type: 'number', requiresArg: true, default: 1, describe: 'go through the events so often' },
    arch: {
      choices: ARCHITECTURES,
      requiresArg: true,
      describe: 'which of the artifacts; this machine’s otherwise',
    },
    serve: {
      type: 'boolean',
      default: false,
      describe: 'put it behind an address on this machine, until it is interrupted',
    },
    watch: {
      type: 'boolean',
      default: false,
      describe: 'like --serve, and build and load it again whenever its source changes',
    },
    port: {
      value: 'PORT',
      type: 'number',
      requiresArg: true,
      default: 0,
      describe: 'with --serve: the port; 0 for any that is free',
    },
    sent: {
      type: 'boolean',
      default: false,
      describe: 'call here what was sent, fetched again by its digest, not what was built',
    },
    into: {
      value: 'FOLDER',
      proposes: 'folders',
      type: 'string',
      requiresArg: true,
      describe: 'with --sent: the folder to fetch it into and keep it in; it must be new or empty',
    },
    there: {
      value: 'DESTINATION',
      proposes: 'destinations',
      type: 'string',
      describe: 'call what stands at a host: that of the function, or another destination',
    },
    profile: {
      type: 'boolean',
      default: false,
      describe: 'show where the time of a cold start goes: unpacking, runtime, each import, the first call',
    },
    record: {
      type: 'boolean',
      default: false,
      describe: 'where the runtime tells: note which modules the calls loaded, and which they missed',
    },
  },
  async run(args, session) {
    const project = await session.openProject();
    const spec = oneFunction(project, texts(args, '_'));
    const named = text(args, 'there');
    if (named !== undefined) return tryThere(args, project, { spec, named }, session);
    const arch = chooseArch(spec, text(args, 'arch'));
    if (args.serve === true || args.watch === true) return serve(args, project, { spec, arch }, session);
    return withScratch('sent', async (scratch) => callAll(args, project, { spec, arch }, session, scratch));
  },
};

async function tryThere(
  args: Arguments,
  project: Project,
  { spec, named }: { readonly spec: FunctionSpec; readonly named: string },
  session: Session,
): Promise<ExitCode> {
  const { callThere } = await import('../calling/remote');
  const once = await readEvents(project, spec, texts(args, 'event'), session);
  const events = Array.from({ length: wholeNumber(args.repeat, '--repeat', 1, MAX_REPEATS) }, () => once).flat();
  return callThere(project, { spec, named, events }, session);
}

async function callAll(
  args: Arguments,
  project: Project,
  target: Target,
  session: Session,
  scratch: string,
): Promise<ExitCode> {
  const { spec, arch } = target;
  const repeat = wholeNumber(args.repeat, '--repeat', 1, MAX_REPEATS);
  const { plan, waybill } = await planFor(args, project, target, session, scratch);
  const once = await readEvents(project, spec, texts(args, 'event'), session);
  if (args.profile === true) return profile(target, { plan, waybill }, once[0], session);
  const taken = await takenBy(project, target, waybill, 'types');
  session.tell(
    `${session.paint.bold(spec.name)} ${arch}, ${spec.entry.text}, ${formatSize(plan.memoryBytes)}, from ${session.paint.name(plan.shown)}\n`,
  );
  remarkEvents(once, taken, session);
  const events = Array.from({ length: repeat }, () => once).flat();
  const { reports, outcome } = await callEach(plan, events, session, () => takenBy(project, target, waybill, 'code'));
  if (typeof outcome.hold === 'object') session.remark(`${session.paint.doubt('note')}: ${unheldText(outcome.hold)}`);
  return report({ args, target, plan, waybill, reports, outcome, session });
}

/** Where the time of a cold start goes; the first event is the one that it is called with. */
async function profile(
  target: Target,
  { plan, waybill }: { readonly plan: HostPlan; readonly waybill?: Waybill | undefined },
  event: NamedEvent | undefined,
  session: Session,
): Promise<ExitCode> {
  if (event === undefined) throw new Error('no event');
  const { spec, arch } = target;
  const own = (waybill?.files ?? []).flatMap(({ origin, path }) => (origin.from === 'source' ? [path] : []));
  const starts = await profileStarts(target, plan, event, own);
  const failed = starts.find(({ answer }) => answer.kind === 'failed')?.answer;
  session.document({ name: spec.name, arch, event: event.name, starts });
  session.tell(
    `${session.paint.bold(spec.name)} ${arch}, ${spec.entry.text}, with ${session.paint.name(event.name)}\n`,
  );
  session.say(profileText(starts, session.paint));
  if (failed !== undefined)
    session.remark(`${session.paint.doubt('note')}: the call failed; without --profile it says why`);
  session.next(`try ${spec.name} --event ${event.name}`, 'call it and see what it answers');
  return failed === undefined ? EXIT.done : EXIT.no;
}

/** Calls with each event, showing each as it is answered. */
async function callEach(
  plan: HostPlan,
  events: readonly NamedEvent[],
  session: Session,
  taken: () => Promise<Taken>,
): Promise<{ readonly reports: CallReport[]; readonly outcome: HostOutcome }> {
  const reports: CallReport[] = [];
  const { paint, quiet, verbose } = session;
  const outcome = await runInHost(plan, events, async (called) => {
    if (reports.length > 0) session.tell('');
    const judged = plan.shape === undefined ? called : judgeResponse(called, plan.shape);
    const event = events[reports.length]?.event;
    reports.push(judged);
    const guess = event === undefined ? undefined : await guessOf(judged.answer, event, taken);
    session.say(callText(judged, plan, { paint, quiet, verbose, ...present({ guess }) }));
  });
  return { reports, outcome };
}

interface Tried {
  readonly args: Arguments;
  readonly target: Target;
  readonly plan: HostPlan;
  readonly waybill: Waybill | undefined;
  readonly reports: readonly CallReport[];
  readonly outcome: HostOutcome;
  readonly session: Session;
}

function report({ args, target: { spec, arch }, plan, waybill, reports, outcome, session }: Tried): ExitCode {
  const { paint } = session;
  const { seen, asked, didEnd } = outcome;
  const failed = reports.filter(({ answer }) => answer.kind === 'failed').length;
  const isWrong = failed > 0 || didEnd === false;
  if (didEnd === false) session.say(unendedText(plan, paint));
  const { notes } = plan.run;
  const isNoted = waybill !== undefined && notes !== undefined;
  const record = args.record === true && isNoted ? recordOf(waybill, { seen, asked }, notes) : undefined;
  const cut = isNoted ? cutModules(waybill, asked, notes) : [];
  session.document({
    name: spec.name,
    arch,
    failed,
    calls: reports,
    cut,
    ...present({ record, ended: didEnd }),
  });
  session.tell(summaryText(reports, plan, paint));
  if (record !== undefined) session.say(recordText(record, session));
  if (cut.length > 0 && (failed > 0 || record !== undefined)) session.say(cutText(cut, paint));
  if (isWrong) session.next(`try ${spec.name} --verbose`, 'see whole logs and stacks');
  else session.next(`prove ${spec.name}`, 'build it again elsewhere and compare the bytes');
  return isWrong ? EXIT.no : EXIT.done;
}

/** The artifact that was built, or what was sent of it. */
async function planFor(
  args: Arguments,
  project: Project,
  target: Target,
  session: Session,
  scratch: string,
): Promise<{ readonly plan: HostPlan; readonly waybill?: Waybill }> {
  const into = text(args, 'into');
  if (args.sent !== true) {
    if (into === undefined) return planCalls(project, target, session);
    throw new EmballageError('USAGE', {
      doing: 'reading the command line',
      where: '--into',
      expected: 'it together with --sent',
      found: 'it alone',
      mend: 'add --sent, or leave it out',
    });
  }
  const { fetchSent, intoFolder, scratchFolder } = await import('../delivering/sent-artifact');
  const folder = into === undefined ? scratchFolder(scratch) : intoFolder(into, session);
  const sent = await fetchSent(project, target, folder, session);
  session.tell(`${session.paint.dim('fetched')} ${session.paint.name(sent.shown)}`);
  return { plan: await planSent(project, target, session, sent), ...present({ waybill: sent.waybill }) };
}

function oneFunction(project: Project, names: readonly string[]): FunctionSpec {
  const known = project.sheet.functions.map((spec) => spec.name);
  const wanted = names.length === 0 && known.length === 1 ? known : names;
  const [spec] = wanted.length === 1 ? selectFunctions(project.sheet, wanted) : [];
  if (spec !== undefined) return spec;
  throw new EmballageError('USAGE', {
    doing: 'reading the command line',
    expected: `one function: ${listed(known, 'or')}`,
    found: names.length === 0 ? 'none' : String(names.length),
    mend: 'name the function to call',
  });
}

async function serve(args: Arguments, project: Project, target: Target, session: Session): Promise<ExitCode> {
  const port = Number(args.port);
  if (!Number.isInteger(port) || port < 0 || port > 65_535)
    throw new EmballageError('USAGE', {
      doing: 'reading the command line',
      where: '--port',
      expected: 'a port, from 0 to 65535',
      found: String(args.port),
      mend: 'correct it',
    });
  const { serveTarget } = await import('../calling/serving');
  await serveTarget({ project, target, port, isWatching: args.watch === true, session });
  return EXIT.done;
}

async function readEvents(
  project: Project,
  spec: FunctionSpec,
  files: readonly string[],
  session: Session,
): Promise<NamedEvent[]> {
  const time = new Date(session.now()).toISOString();
  if (files.length > 0) return files.map((file) => readEvent(resolve(session.cwd, file), file, time));
  const found = await eventPaths(project, spec);
  if (found.length > 0) return found.map((file) => readEvent(join(project.root, file), file, time));
  throw new EmballageError('EVENT_INVALID', {
    doing: 'looking for events',
    expected: 'an event to call the function with',
    found:
      spec.events.length === 0
        ? 'none: the sheet names no `events`'
        : `no file that matches ${spec.events.map((e) => `\`${e}\``).join(', ')}`,
    mend: 'add --event FILE, or `events` to the sheet',
  });
}
