/** `lock`: settles third-party dependencies for every target. */
import { resolve } from 'node:path';
import { EmballageError } from '../../core/base/errors';
import { count, printable } from '../../core/base/text';
import { formatSize } from '../../core/base/units';
import { LANGUAGES } from '../../core/languages';
import { lockFunctions, type LockOutcome } from '../../core/pipeline/lock';
import { selectFunctions } from '../../core/project/targets';
import { Failures } from '../session/failures';
import type { Session } from '../session/session';
import { EXIT, text, texts, type CommandModule } from './command';

/** What was settled in forms that others read, by language. */
const EXPORTS = LANGUAGES.flatMap((language) => (language.exports ?? []).map((one) => ({ ...one, language })));

export const command: CommandModule = {
  about:
    'Settles what functions need from others, for every architecture and runtime they are built for, into\n' +
    'emballage.lock (a sheet of another name has a lock of that name): which version, which file, its digest. Versions that are locked stay as long as they fit. Without\n' +
    'a change of the requirements nothing is asked of anybody. Logins for sources come from ~/.netrc.',
  examples: [
    ['', 'settle what is new or changed'],
    ['gauge-intake --upgrade levels', 'take the newest version of one package'],
  ],
  options: {
    upgrade: {
      value: 'PACKAGE',
      type: 'string',
      describe: 'take the newest versions: of all packages, or of the one named (may be given several times)',
    },
    ...Object.fromEntries(
      EXPORTS.map(
        ({ option, describe }) =>
          [option, { type: 'string', requiresArg: true, value: 'FILE', proposes: 'files', describe }] as const,
      ),
    ),
  },
  async run(args, session) {
    const project = await session.openProject();
    const shared = await session.shareResults(project);
    const functions = selectFunctions(project.sheet, texts(args, '_'));
    const asked = texts(args, 'upgrade');
    const failures = new Failures();
    const outcomes = await lockFunctions({
      onFailure: failures.tell,
      project,
      functions,
      http: await session.http(project),
      machine: session.machine(),
      upgrade: asked.includes('') ? 'all' : asked,
      registry: (host, plainHttp) => session.registry(host, plainHttp),
      jobs: session.jobs,
      onSettling: (name, arch) => session.progress.show(`settling ${name} for ${arch}`),
      onBase: (doing, done, total) => session.progress.show(`${doing}: ${formatSize(done)} of ${formatSize(total)}`),
    });
    for (const one of EXPORTS) {
      const path = text(args, one.option);
      if (path !== undefined) await writeExport(one, path, outcomes, session);
    }
    failures.refuseAlone(functions.length);
    await shared?.settle();
    session.document({ functions: outcomes, failed: failures.documents });
    if (!session.json) await show(session, outcomes);
    tellNotes(session, [...new Set(outcomes.flatMap(({ notes }) => notes))]);
    await failures.show(session, 'could not be settled');
    if (failures.exitCode !== EXIT.done) return failures.exitCode;
    const [only] = functions.length === 1 ? functions : [];
    session.next(only === undefined ? 'build' : `build ${only.name}`, 'make the artifacts');
    return EXIT.done;
  },
};

/** More lines that say that nothing changed hide those that say something. */
const MOST_UNCHANGED = 12;

async function show(session: Session, outcomes: readonly LockOutcome[]): Promise<void> {
  const needing = outcomes.filter(({ status }) => status !== 'no-needs');
  const unchanged = needing.filter(({ status }) => status === 'unchanged').length;
  const isShort = unchanged > MOST_UNCHANGED && !session.verbose;
  const result = isShort ? needing.filter(({ status }) => status !== 'unchanged') : needing;
  if (needing.length === 0) session.say('No function here needs anything from others.');
  if (result.length > 0) await showEach(session, result);
  if (isShort) session.say(`${count(unchanged, 'function')} unchanged`);
}

async function showEach(session: Session, outcomes: readonly LockOutcome[]): Promise<void> {
  const { table } = await import('../views/table');
  const { paint } = session;
  const rows = outcomes.flatMap(({ name, status, targets, base }) =>
    [...new Set([...Object.keys(targets), ...Object.keys(base?.targets ?? {})])].map((arch, i) => {
      const packages = targets[arch] ?? [];
      const under = base?.targets[arch];
      const all = [...packages, ...(under?.layers ?? [])];
      return [
        i === 0 ? paint.bold(name) : '',
        arch,
        status === 'settled' ? paint.good('settled') : paint.dim(status),
        [count(packages.length, 'package'), ...(under === undefined ? [] : [`on ${printable(under.from)}`])].join(', '),
        paint.dim(formatSize(all.reduce((sum, one) => sum + one.size, 0))),
      ];
    }),
  );
  session.say(table(rows, [4]));
  if (session.verbose) session.say(sourcesText(outcomes, paint));
  const changes = outcomes.flatMap((outcome) => outcome.changes);
  if (changes.length === 0 || session.quiet) return;
  const lines = new Map<string, string[]>();
  for (const { name, arch, before, after } of changes) {
    const version =
      before === undefined
        ? paint.good(after ?? '')
        : after === undefined
          ? paint.bad(`${before}, gone`)
          : before === after
            ? `${after}, another file`
            : `${before} → ${paint.good(after)}`;
    const key = `${name}\0${version}`;
    lines.set(key, [...new Set([...(lines.get(key) ?? []), arch])]);
  }
  const changed = [...lines].map(([key, archs]) => [...key.split('\0'), paint.dim(archs.join(', '))]);
  session.say(`\n${table(changed, [], '    ')}`);
}

function tellNotes(session: Session, notes: readonly string[]): void {
  const shown = session.verbose ? notes : notes.slice(0, MAX_NOTES);
  for (const note of shown) session.remark(`note: ${note}`);
  const more = notes.length - shown.length;
  if (more > 0) session.remark(`${count(more, 'more note')}; --verbose shows them`);
}

/** Who was asked, and why they: each once, with the functions that asked. */
function sourcesText(outcomes: readonly LockOutcome[], paint: Session['paint']): string {
  const askers = new Map<string, string[]>();
  for (const { name, sources } of outcomes)
    for (const { at, why } of sources) {
      const line = `${printable(at)}, ${printable(why)}`;
      askers.set(line, [...(askers.get(line) ?? []), name]);
    }
  const lines = [...askers].map(([line, names]) => `  ${line}${paint.dim(`: ${names.join(', ')}`)}`);
  return lines.length === 0 ? '' : `\nAsked for packages\n${lines.join('\n')}`;
}

/** Written where the command runs, as a person would expect of a path on the command line. */
async function writeExport(
  { option, language, write }: (typeof EXPORTS)[number],
  path: string,
  outcomes: readonly LockOutcome[],
  session: Session,
): Promise<void> {
  const project = await session.openProject();
  const specOf = (name: string) => project.sheet.functions.find((spec) => spec.name === name);
  const withNeeds = outcomes.filter(
    ({ name, status }) => status !== 'no-needs' && specOf(name)?.runtime.language === language.id,
  );
  const [only] = withNeeds;
  if (withNeeds.length !== 1 || only === undefined)
    throw new EmballageError('USAGE', {
      doing: 'reading the command line',
      where: `--${option}`,
      expected: `it together with one ${language.title} function that has needs`,
      found: count(withNeeds.length, 'such function'),
      mend: 'name the function',
    });
  const { writeInProject } = await import('../../core/disk/write');
  const version = specOf(only.name)?.runtime.version ?? '';
  writeInProject(resolve(session.cwd, path), await write(only.targets, version), path);
  session.remark(`wrote ${printable(path)}`);
}

/** More of them are told only when detail is asked for. */
const MAX_NOTES = 8;
