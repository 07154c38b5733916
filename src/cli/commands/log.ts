/** `log`: what a function wrote where it stands. */
import { setTimeout as sleep } from 'node:timers/promises';
import { EmballageError } from '../../core/base/errors';
import { printable } from '../../core/base/text';
import { parseTime } from '../../core/base/units';
import type { LogResult } from '../../core/pipeline/deliver';
import { selectFunction } from '../../core/project/targets';
import { untilInterrupted } from '../interrupt';
import type { Session } from '../session/session';
import { clientThere, placeThere } from '../calling/remote';
import { EXIT, text, texts, type CommandModule } from './command';

const POLL_MS = 1000;
type Line = LogResult['lines'][number];

export const command: CommandModule = {
  about:
    'Prints what a function wrote where it stands: all of it, since a time, or of one run. The destination is one that\n' +
    'can be asked: `deliver: { host: … }`.',
  examples: [
    ['surge-alert --since "10 min"', 'what it wrote in the last ten minutes'],
    ['surge-alert --there slipway', 'all that it wrote at a destination'],
  ],
  options: {
    there: {
      value: 'DESTINATION',
      proposes: 'destinations',
      type: 'string',
      describe: 'the destination; the function’s own otherwise',
    },
    since: {
      value: 'TIME',
      type: 'string',
      requiresArg: true,
      describe: 'since then: a time ago such as "10 min", or a moment such as 2027-03-01T06:00:00Z',
    },
    run: { value: 'RUN', type: 'string', requiresArg: true, describe: 'only of the run with that id' },
    follow: { type: 'boolean', default: false, describe: 'go on with what is written later' },
  },
  async run(args, session) {
    const project = await session.openProject();
    const [name = '', ...rest] = texts(args, '_');
    if (name === '' || rest.length > 0)
      throw new EmballageError('USAGE', {
        doing: 'reading the command line',
        expected: 'one function',
        found: name === '' ? 'none' : 'several',
        mend: 'name the function whose log is wanted',
      });
    const spec = selectFunction(project.sheet, name);
    const destination = placeThere(project, spec, text(args, 'there'));
    const client = await clientThere(project, destination, `reading the log of ${name}`, session);
    const [since, run] = [sinceFrom(text(args, 'since'), session), text(args, 'run')];
    const wanted = { ...(since !== undefined && { since }), ...(run !== undefined && { run }) };
    const first = await client.log(name, wanted);
    for (const line of first.lines) show(line, session);
    if (args.follow !== true) {
      session.document({ name, destination: destination.name, lines: first.lines });
      if (first.lines.length === 0) session.say('Nothing was written.');
      session.next(`try ${name} --there ${destination.name}`, 'call it there');
      return EXIT.done;
    }
    const ended = untilInterrupted().then(() => true);
    for (let after = first.next; ;) {
      if (await Promise.race([ended, sleep(POLL_MS, false)])) return EXIT.done;
      const { lines, next } = await client.log(name, { ...wanted, after });
      for (const line of lines) show(line, session);
      after = next;
    }
  },
};

function show({ time, run, line }: Line, session: Session): void {
  const { paint } = session;
  session.say(`${paint.dim(`${time.slice(0, 19).replace('T', ' ')}  ${printable(run)}`)}  ${printable(line)}`);
}

/** RFC 3339. */
function sinceFrom(value: string | undefined, session: Session): string | undefined {
  if (value === undefined) return undefined;
  const ago = parseTime(value);
  if (ago !== undefined) return new Date(session.now() - ago).toISOString();
  const moment = Date.parse(value);
  if (/^\d{4}-\d\d-\d\d/.test(value) && !Number.isNaN(moment)) return new Date(moment).toISOString();
  throw new EmballageError('USAGE', {
    doing: 'reading the command line',
    where: '--since',
    expected: 'a time ago such as "10 min", or a moment such as 2027-03-01T06:00:00Z',
    found: `\`${printable(value)}\``,
    mend: 'correct it',
  });
}
