/** `lock`: settles third-party dependencies for every target. */
import { resolve } from 'node:path';
import { EmballageError } from '../../core/base/errors';
import { count, printable } from '../../core/base/text';
import { formatSize } from '../../core/base/units';
import { lockFunctions, type LockOutcome } from '../../core/pipeline/lock/lock';
import { selectFunctions } from '../../core/project/targets';
import type { Session } from '../session';
import { EXIT, text, texts, type CommandModule } from './command';

export const command: CommandModule = {
  about:
    'Settles what functions need from others, for every architecture and runtime they are built for, into\n' +
    'emballage.lock (a sheet of another name has a lock of that name): which version, which file, its digest. Versions that are locked stay as long as they fit. Without\n' +
    'a change of the requirements nothing is asked of anybody. Logins for sources come from ~/.netrc.',
  examples: [
    ['', 'settle what is new or changed'],
    ['gauge-intake --upgrade levels', 'take the newest version of one package'],
  ],
  options: (yargs) =>
    yargs
      .option('upgrade', {
        type: 'string',
        describe: 'take the newest versions: of all packages, or of the one named (may be given several times)',
      })
      .option('pylock', {
        type: 'string',
        requiresArg: true,
        describe: 'for one Python function: also write what was settled as a pylock.toml (PEP 751)',
      }),
  async run(args, session) {
    const project = await session.openProject();
    const functions = selectFunctions(project.sheet, texts(args, '_'));
    const { normalizeName } = await import('../../core/languages/python');
    const asked = texts(args, 'upgrade');
    const outcomes = await lockFunctions({
      project,
      functions,
      http: await session.http(project),
      machine: await session.machine(),
      upgrade: asked.includes('') ? 'all' : asked.map(normalizeName),
      registry: (host, plainHttp) => session.registry(host, plainHttp),
      jobs: session.jobs,
      onSettling: (name, arch) => session.progress.show(`settling ${name} for ${arch}`),
      onBase: (doing, done, total) => session.progress.show(`${doing}: ${formatSize(done)} of ${formatSize(total)}`),
    });
    const pylock = text(args, 'pylock');
    if (pylock !== undefined) await writePylock(pylock, outcomes, session);
    session.document({ functions: outcomes });
    if (!session.json) await show(session, outcomes);
    const [only] = functions.length === 1 ? functions : [];
    session.next(only === undefined ? 'build' : `build ${only.name}`, 'make the artifacts');
    return EXIT.done;
  },
};

async function show(session: Session, outcomes: readonly LockOutcome[]): Promise<void> {
  const { table } = await import('../views/table');
  const { paint } = session;
  const rows = outcomes
    .filter(({ status }) => status !== 'no-needs')
    .flatMap(({ name, status, targets, base }) =>
      [...new Set([...Object.keys(targets), ...Object.keys(base?.targets ?? {})])].map((arch, i) => {
        const packages = targets[arch] ?? [];
        const under = base?.targets[arch];
        const all = [...packages, ...(under?.layers ?? [])];
        return [
          i === 0 ? paint.bold(name) : '',
          arch,
          status === 'settled' ? paint.good('settled') : paint.dim(status),
          [count(packages.length, 'package'), ...(under === undefined ? [] : [`on ${printable(under.from)}`])].join(
            ', ',
          ),
          paint.dim(formatSize(all.reduce((sum, one) => sum + one.size, 0))),
        ];
      }),
    );
  session.say(rows.length === 0 ? 'No function here needs anything from others.' : table(rows, [4]));
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

/** Written where the command runs, as a person would expect of a path on the command line. */
async function writePylock(path: string, outcomes: readonly LockOutcome[], session: Session): Promise<void> {
  const withNeeds = outcomes.filter(({ status }) => status !== 'no-needs');
  const [only] = withNeeds;
  if (withNeeds.length !== 1 || only === undefined)
    throw new EmballageError('USAGE', {
      doing: 'reading the command line',
      where: '--pylock',
      expected: 'it together with one Python function that has needs',
      found: count(withNeeds.length, 'such function'),
      mend: 'name the function',
    });
  const [{ pylockOf }, { writeWhole }] = await Promise.all([
    import('../../core/languages/python/export-pylock'),
    import('../../core/disk/write'),
  ]);
  const project = await session.openProject();
  const version = project.sheet.functions.find(({ name }) => name === only.name)?.runtime.version ?? '3';
  writeWhole(resolve(session.cwd, path), pylockOf(only.targets, version), path);
  session.remark(`wrote ${printable(path)}`);
}
