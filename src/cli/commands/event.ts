/** `event`: a made-up event of the right shape, to start from. */
import { EmballageError } from '../../core/base/errors';
import { count, listed, nearestWord, printable } from '../../core/base/text';
import {
  EVENT_KINDS,
  madeUpEvent,
  OWN_SHAPE,
  writeExact,
  type EventKind,
  type Shape,
  type Taken,
} from '../../core/events';
import { takenBy } from '../../core/pipeline/check';
import { selectFunction, type Project } from '../../core/project/targets';
import { verifyAgainstWaybill } from '../../core/project/verify-artifact';
import { callsOf, type FunctionSpec } from '../../core/sheet';
import { chooseArch } from '../calling/calling';
import { shellWord } from '../session/session';
import { EXIT, text, texts, type CommandModule } from './command';

export const command: CommandModule = {
  about:
    'Prints a made-up event as the destination gives it to a function: a web request for a web application, else a\n' +
    'CloudEvent, or its data alone where the destination states `calls: { event: data }`. Once the function was built,\n' +
    'what its code reads of the event stands in it.',
  examples: [
    ['surge-alert', 'what surge-alert may be called with'],
    ['surge-alert --kind request', 'a web request'],
  ],
  options: {
    kind: { choices: EVENT_KINDS, requiresArg: true, describe: 'of which kind; what the function takes otherwise' },
    shape: {
      value: 'NAME',
      type: 'string',
      requiresArg: true,
      describe: 'requests: in which shape of the destination; the one that the function gets otherwise',
    },
  },
  async run(args, session) {
    const [name, ...rest] = texts(args, '_');
    if (name === undefined || rest.length > 0)
      throw new EmballageError('USAGE', {
        doing: 'reading the command line',
        expected: 'one function: `event NAME`',
        found: count(texts(args, '_').length, 'word'),
        mend: 'name the function',
      });
    const project = await session.openProject();
    const spec = selectFunction(project.sheet, name);
    const taken = await takenByBuilt(project, spec);
    const kind = EVENT_KINDS.find((one) => one === text(args, 'kind')) ?? usualKind(taken);
    const shape = chosenShape(project, spec, taken, { kind, name: text(args, 'shape') });
    const event = madeUpEvent({
      kind,
      shape,
      calls: taken.calls,
      reads: taken.reads,
      project: project.sheet.project,
      name,
      time: new Date(session.now()).toISOString(),
    });
    session.document({ name, kind, ...(kind === 'request' && { shape: shape.name }), event });
    session.say(writeExact(event, 2));
    session.nextAside(`try ${shellWord(name)} --event FILE`, 'call the function with it, kept in a file');
    return EXIT.done;
  },
};

function usualKind({ shape, calls }: Taken): EventKind {
  if (shape !== undefined) return 'request';
  return calls.event === 'data' ? 'data' : 'cloudevent';
}

/** What it takes; what its code reads only where it was built. */
async function takenByBuilt(project: Project, spec: FunctionSpec): Promise<Taken> {
  const target = { spec, arch: chooseArch(spec, undefined) };
  try {
    return await takenBy(project, target, await verifyAgainstWaybill(project, target), 'code');
  } catch (error) {
    if (!(error instanceof EmballageError)) throw error;
    return takenBy(project, target, undefined, 'code');
  }
}

function chosenShape(
  project: Project,
  { destination: at }: FunctionSpec,
  taken: Taken,
  { kind, name }: { readonly kind: EventKind; readonly name: string | undefined },
): Shape {
  if (name === undefined) return taken.shape ?? callsOf(project.sheet.destinations[at]).shapes[0] ?? OWN_SHAPE;
  const stated = taken.calls.shapes;
  const found = stated.find((one) => one.name === name);
  if (found !== undefined && kind === 'request') return found;
  const near = nearestWord(
    name,
    stated.map((one) => one.name),
  );
  throw new EmballageError('USAGE', {
    doing: 'reading the command line',
    where: '--shape',
    expected:
      kind !== 'request'
        ? 'it only for a web request'
        : stated.length === 0
          ? `a shape that ${at} states, which states none`
          : listed(
              stated.map((one) => `\`${one.name}\``),
              'or',
            ),
    found: kind === 'request' ? `\`${printable(name)}\`` : `it with \`${kind}\``,
    mend:
      kind !== 'request'
        ? 'add --kind request, or leave it out'
        : near === undefined
          ? 'state it under `calls: { shapes: … }` of the destination'
          : `did you mean \`${near}\`?`,
  });
}
