/** `prove`: builds again in changed surroundings and compares the bytes. */
import { appendFileSync, copyFileSync, statSync } from 'node:fs';
import { basename, join } from 'node:path';
import { EmballageError } from '../../core/base/errors';
import { count } from '../../core/base/text';
import { formatTime } from '../../core/base/units';
import { copyProject } from '../../core/disk/copy-project';
import { build } from '../../core/pipeline/build';
import {
  filesToCopy,
  prove,
  VARIATIONS,
  type ProofDifference,
  type ProofLine,
  type Variation,
} from '../../core/pipeline/prove';
import { selectFunctions, targetsOf, type Project } from '../../core/project/targets';
import type { FunctionSpec } from '../../core/sheet';
import { runProgram } from '../../core/toolchains/run-program';
import { userCaches } from '../machine';
import { TOOL } from '../program';
import { withScratch } from '../scratch';
import type { Session } from '../session';
import type { Paint } from '../views/paint';
import { EXIT, texts, type CommandModule } from './command';

const MAX_OUTPUT = 16 * 1024 * 1024;

export const command: CommandModule = {
  about:
    'Builds the functions again, each time with one thing about the surroundings changed, and compares artifacts and\n' +
    'waybills byte for byte. The answer is no (exit code 1) when any differ; the first difference is shown.',
  examples: [
    ['', 'prove everything in the sheet'],
    ['surge-alert --json', 'prove one function, for a program to read'],
  ],
  options: {},
  async run(args, session) {
    const project = await session.openProject();
    const functions = selectFunctions(project.sheet, texts(args, '_'));
    const epochSeconds = session.epochSeconds();
    const onEvent = (): void => session.progress.show('building');
    await build({
      project,
      functions,
      jobs: session.jobs,
      now: () => session.now(),
      tool: TOOL,
      http: () => session.http(project),
      registry: (host, plainHttp) => session.registry(host, plainHttp),
      machine: session.machine(),
      onEvent,
      ...(epochSeconds !== undefined && { epochSeconds }),
    });
    return withScratch('prove', async (base) => {
      const lines = await prove(
        project,
        functions,
        (variation) => rebuild(base, project, functions, variation, session),
        (line) => session.tell(lineText(line, session.paint)),
      );
      return conclude(lines, functions, session);
    });
  },
};

async function rebuild(
  base: string,
  project: Project,
  functions: readonly FunctionSpec[],
  variation: Variation,
  session: Session,
): Promise<string> {
  session.progress.show(`building with ${variation.title}`);
  const root = join(base, variation.folder);
  const plan = await filesToCopy(project, functions);
  copyProject(project.root, root, { ...plan, ...variation.copy });
  const again = (): Promise<void> => runBuild(root, project, functions, variation);
  await again();
  const changed = plan.files.find((file) =>
    functions.some((spec) => file.startsWith(`${spec.source}/`) && statSync(join(root, file)).isFile()),
  );
  if (variation.throughStore === true && changed !== undefined) {
    appendFileSync(join(root, changed), '\n');
    await again();
    copyFileSync(join(project.root, changed), join(root, changed));
    await again();
  }
  return root;
}

/** Builds in a process of its own, since umask, time zone and locale belong to a process. */
async function runBuild(
  root: string,
  project: Project,
  functions: readonly FunctionSpec[],
  variation: Variation,
): Promise<void> {
  const umask = variation.umask === undefined ? '' : `umask ${variation.umask.toString(8)}; `;
  const program = [process.execPath, process.argv[1] ?? ''];
  const sheet = join(root, basename(project.files[0] ?? ''));
  const args = [
    'build',
    ...functions.map((spec) => spec.name),
    '--sheet',
    sheet,
    '--json',
    ...(variation.jobs === undefined ? [] : ['--jobs', String(variation.jobs)]),
  ];
  // Third-party files lie with the user, by their digests, whoever that is said to be.
  const env = { ...process.env, XDG_CACHE_HOME: userCaches(), ...variation.env };
  const end = await runProgram({
    program: '/bin/sh',
    args: ['-c', `${umask}exec "$@"`, 'sh', ...program, ...args],
    cwd: root,
    env,
    maxBytes: MAX_OUTPUT,
  });
  if (end.code === 0) return;
  throw new EmballageError('REBUILD_FAILED', {
    doing: `building with ${variation.title}`,
    expected: 'the build to work there too',
    found: 'it failed',
    mend: 'see what it said',
    details: end.stderr.trim().split('\n'),
  });
}

function lineText({ variation, differences }: ProofLine, paint: Paint): string {
  const verdict = differences.length === 0 ? paint.good('same bytes') : paint.bad('differs   ');
  return [
    `  ${verdict}  ${variation.title}`,
    ...differences.map((difference) => differenceText(difference, paint)),
  ].join('\n');
}

function differenceText({ name, arch, file, detail }: ProofDifference, paint: Paint): string {
  const head = `              ${paint.bold(name)} ${arch}, ${file}`;
  if (detail === undefined) return head;
  const entry = detail.entry === undefined ? '' : `${paint.name(detail.entry)}, `;
  return `${head}: first at ${entry}${detail.field}: ${detail.first} and ${detail.second}`;
}

function conclude(lines: readonly ProofLine[], functions: readonly FunctionSpec[], session: Session) {
  const differing = lines.filter((line) => line.differences.length > 0);
  const targets = targetsOf(functions).length;
  session.document({
    reproducible: differing.length === 0,
    variations: lines.map(({ variation, differences }) => ({
      id: variation.id,
      title: variation.title,
      same: differences.length === 0,
      differences,
    })),
  });
  const what = `${count(targets, 'artifact')} and ${targets === 1 ? 'its waybill' : 'their waybills'}`;
  if (differing.length === 0)
    session.say(
      `\n${session.paint.good('Reproducible:')} ${what} came out the same in ${count(VARIATIONS.length, 'variation')} (${formatTime(performance.now())})`,
    );
  else
    session.say(
      `\n${session.paint.bad('Not reproducible:')} ${what} differ in ${String(differing.length)} of ${count(lines.length, 'variation')}`,
    );
  session.next('rules', 'see what check looks for');
  return differing.length === 0 ? EXIT.done : EXIT.no;
}
