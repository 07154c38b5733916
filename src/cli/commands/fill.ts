/** `fill`: writes what was built and sent into the team’s own templates. */
import { EmballageError } from '../../core/base/errors';
import { count, printable } from '../../core/base/text';
import { fillTemplates, type Filled } from '../../core/pipeline/fill';
import type { Project } from '../../core/project/targets';
import type { Session } from '../session/session';
import { EXIT, texts, type CommandModule } from './command';

export const command: CommandModule = {
  about:
    'Writes locations, digests, entry strings, memory, time and names of settings into the deployment templates that\n' +
    '`fill` in the sheet lists: YAML, JSON and TOML by a JSON Pointer, other texts between marks. Only those values\n' +
    'change; comments, order and spacing stay. All templates are written, or none.',
  examples: [
    ['', 'write what was sent into the templates'],
    ['--check', 'only look; the exit code is 1 where a template is stale'],
  ],
  options: {
    check: { type: 'boolean', default: false, describe: 'write nothing; the answer is no where something is stale' },
  },
  async run(args, session) {
    const project = await session.openProject();
    refuseNothing(project, texts(args, '_'));
    const isCheck = args.check === true;
    const filled = await fillTemplates({ project, isCheck });
    const changed = filled.filter(({ before, now }) => before !== now);
    for (const one of filled) show(one, isCheck, session);
    session.document({ stale: isCheck && changed.length > 0, filled });
    const files = new Set(changed.map(({ file }) => file)).size;
    session.tell(
      `\n${count(filled.length, 'value')}, ${String(changed.length)} ${isCheck ? 'stale' : 'changed'} in ${count(files, 'file')}`,
    );
    if (isCheck && changed.length > 0) session.next('fill', 'write them');
    else session.next('fill --check', 'see later whether they still are as they should be');
    return isCheck && changed.length > 0 ? EXIT.no : EXIT.done;
  },
};

function refuseNothing({ sheet, files: [file = ''] }: Project, [word]: readonly string[]): void {
  const doing = 'filling templates';
  if (word !== undefined)
    throw new EmballageError('USAGE', {
      doing,
      expected: 'no words: the sheet says what is filled in',
      found: `\`${printable(word)}\``,
      mend: 'leave them out',
    });
  if (sheet.fill === undefined)
    throw new EmballageError('USAGE', {
      doing,
      where: file,
      expected: '`fill`: what goes where',
      found: 'none in the sheet',
      mend: 'add `fill: [{ file, at, value }]` to the sheet',
    });
}

function show({ file, at, before, now }: Filled, isCheck: boolean, session: Session): void {
  const { paint } = session;
  const isSame = before === now;
  if (isSame && session.quiet) return;
  const state = isSame ? paint.dim('as it is') : isCheck ? paint.bad('stale') : paint.good('filled in');
  session.say(`  ${state}  ${paint.name(file)}  ${printable(at)}`);
  if (!isSame) session.tell(`    ${paint.dim(printable(before) || 'nothing')} → ${printable(now)}`);
}
