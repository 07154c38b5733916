/** `build`: makes the artifacts and their waybills. */
import { build, type BuildEvent, type BuiltFunction, type BuiltTarget } from '../../core/pipeline/build';
import { selectFunctions } from '../../core/project/targets';
import type { ResultStore } from '../../core/sources/results';
import { count } from '../../core/base/text';
import { formatSize, formatTime } from '../../core/base/units';
import { Failures } from '../session/failures';
import { TOOL } from '../program';
import type { Session } from '../session/session';
import { partOf, PART_OPTION } from '../delivering/part-option';
import { EXIT, texts, type CommandModule } from './command';

export const command: CommandModule = {
  about:
    'Makes the artifact and the waybill of every function, or of those named, under out/. What has not changed is\n' +
    'left alone; what was built before comes from the store. SOURCE_DATE_EPOCH sets the time that files carry.',
  examples: [
    ['', 'build everything in the sheet'],
    ['surge-alert --verbose', 'build one function, and say what was left out'],
  ],
  options: {
    archive: { type: 'boolean', default: false, describe: 'write images as one tar archive too, beside their layout' },
    part: PART_OPTION,
  },
  async run(args, session) {
    const begun = performance.now();
    const project = await session.openProject();
    const chosen = selectFunctions(project.sheet, texts(args, '_'));
    const { functions, part } = await partOf(args, project, chosen);
    const epochSeconds = session.epochSeconds();
    const failures = new Failures();
    const shared = await session.shareResults(project);
    const built = await build({
      project,
      functions,
      jobs: session.jobs,
      now: () => session.now(),
      tool: TOOL,
      http: () => session.http(project),
      registry: (host, plainHttp) => session.registry(host, plainHttp),
      machine: session.machine(),
      onEvent: (event) => showProgress(session, event),
      onFailure: failures.tell,
      isArchived: args.archive === true,
      ...(epochSeconds !== undefined && { epochSeconds }),
      ...(part !== undefined && { part }),
    });
    if (shared !== undefined) {
      if (built.length > 0) session.progress.show('giving results to the shared store');
      await shared.settle();
    }
    if (functions.length > 0) failures.refuseAlone(functions.length);
    session.document({
      targets: built.flatMap((one) => one.targets),
      ...(shared !== undefined && { store: { at: shared.shown, ...shared.tally } }),
      hashed: sum(built, 'hashed'),
      packed: sum(built, 'packed'),
      failed: failures.documents,
    });
    if (built.length > 0) await show(session, built, performance.now() - begun);
    else if (failures.documents.length === 0) session.say('Nothing of it is the part of this worker.');
    if (shared !== undefined) session.tell(session.paint.dim(storeText(shared)));
    await failures.show(session, 'could not be built');
    if (failures.exitCode !== EXIT.done) return failures.exitCode;
    const [only] = functions.length === 1 ? functions : [];
    session.next(only === undefined ? 'check' : `check ${only.name}`, 'hold it against its destination');
    return EXIT.done;
  },
};

function showProgress(session: Session, event: BuildEvent): void {
  if (event.kind === 'waiting') session.remark('waiting for another build in this project to finish');
  else if (event.kind === 'archiving') session.progress.show(`writing ${event.name} for ${event.arch} as one file`);
  else if (event.kind === 'compiling')
    session.progress.show(
      `compiling ${event.name} for ${event.arch}${event.what === undefined ? '' : `: ${event.what}`}`,
    );
  else if (event.kind === 'fetching') session.progress.show(() => `${event.doing}: ${amountDone(event)}`);
  else session.progress.show(() => `packing ${event.name}: ${amountDone(event)}`);
}

function amountDone({ doneBytes, totalBytes }: { readonly doneBytes: number; readonly totalBytes: number }): string {
  return `${formatSize(doneBytes)} of ${formatSize(totalBytes)}`;
}

function storeText({ shown, tally }: ResultStore): string {
  const { fetched, sent, refused } = tally;
  const more = refused === 0 ? '' : `, ${String(refused)} refused`;
  return `shared store ${shown}: ${String(fetched)} fetched, ${String(sent)} given${more}`;
}

const STATUS_WORDS: Readonly<Record<BuiltTarget['status'], string>> = {
  unchanged: 'unchanged',
  same: 'same bytes',
  stored: 'from the store',
  built: 'built',
  fetched: 'fetched',
};

async function show(session: Session, built: readonly BuiltFunction[], ms: number): Promise<void> {
  const targets = built.flatMap((one) => one.targets);
  const { paint } = session;
  const allUnchanged = targets.every((target) => target.status === 'unchanged');
  if (allUnchanged && targets.length > 12 && !session.verbose) {
    session.say(`${count(targets.length, 'artifact')} unchanged`);
  } else if (!session.json) {
    const { table } = await import('../views/table');
    const rows = targets.map((target, i) => [
      targets[i - 1]?.name === target.name ? '' : paint.bold(target.name),
      target.arch,
      (target.status === 'built' ? paint.good : paint.dim)(STATUS_WORDS[target.status]),
      formatSize(target.size),
      paint.dim(`${count(target.files, 'file')}, ${formatSize(target.unpacked)}`),
      paint.name(target.artifact),
      paint.dim(`sha256 ${target.sha256.slice(0, 12)}`),
      target.trimmed > 0 ? paint.dim(`${formatSize(target.trimmed)} trimmed`) : '',
    ]);
    session.say(table(rows, [3]));
  }
  for (const { archive } of targets) if (archive !== undefined) session.say(paint.dim(`as one file: ${archive}`));
  if (session.verbose) showDetails(session, built);
  session.tell(session.paint.dim(`\n${summary(built)} in ${formatTime(ms)}`));
}

function showDetails(session: Session, built: readonly BuiltFunction[]): void {
  for (const { leftOut, targets } of built)
    for (const { path, by, kind } of leftOut)
      session.say(`  ${targets[0]?.name ?? ''}: left out ${path}${kind === 'folder' ? '/' : ''} (${by})`);
}

function summary(built: readonly BuiltFunction[]): string {
  const has = (one: BuiltFunction, isSo: (status: BuiltTarget['status']) => boolean): boolean =>
    one.targets.some(({ status }) => isSo(status));
  const fetched = built.filter((one) => has(one, (status) => status === 'fetched')).length;
  const made = built.filter((one) => has(one, (status) => status !== 'unchanged' && status !== 'fetched')).length;
  const unchanged = built.length - made - fetched;
  const files = `${count(sum(built, 'hashed'), 'file')} hashed, ${count(sum(built, 'packed'), 'file')} packed`;
  const others = fetched === 0 ? '' : `${String(fetched)} fetched, `;
  return `${count(built.length, 'function')}: ${String(made)} made, ${others}${String(unchanged)} unchanged (${files})`;
}

function sum(built: readonly BuiltFunction[], key: 'hashed' | 'packed'): number {
  return built.reduce((total, one) => total + one[key], 0);
}
