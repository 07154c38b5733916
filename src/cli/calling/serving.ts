/** `try --serve` and `--watch`: a function behind an address on this machine, built and loaded again when its source changes. */
import { join } from 'node:path';
import { EmballageError } from '../../core/base/errors';
import { printable } from '../../core/base/text';
import { formatSize, formatTime } from '../../core/base/units';
import { workOf } from '../../core/languages';
import { build, warmUp } from '../../core/pipeline/build';
import { lockedFunction } from '../../core/pipeline/lock';
import { selectFunctions, type Project, type Target } from '../../core/project/targets';
import type { Waybill } from '../../core/waybill';
import { openHost, serveFunction, type RunningService, type ServedCall } from '../../standins/host';
import { planCalls } from './calling';
import type { Shape } from '../../core/events';
import { startWatching, type Watching } from './watching';
import { untilInterrupted } from '../interrupt';
import { TOOL } from '../program';
import type { Session } from '../session/session';
import { portTrouble } from './port-trouble';
import { errorText } from '../views/error';

export interface ServeRequest {
  readonly project: Project;
  readonly target: Target;
  readonly port: number;
  readonly isWatching: boolean;
  readonly session: Session;
}

const SHOWN_FILES = 5;

/** Serves until it is interrupted. */
export async function serveTarget(request: ServeRequest): Promise<void> {
  const { project, target, session, isWatching } = request;
  if (isWatching) await buildAgain(project, target, session);
  const { plan, waybill } = await planCalls(project, target, session);
  const service = await listen(request, plan.shape, await openHost(plan));
  const { paint } = session;
  session.document({ url: service.url, name: target.spec.name, arch: target.arch });
  session.say(`${paint.bold(target.spec.name)} ${target.arch} at ${paint.name(service.url)}`);
  const example = target.spec.adapter === undefined ? `curl -d '{"a": 1}' ${service.url}` : `curl ${service.url}`;
  session.tell(`\n${paint.dim('Call it, and interrupt this command to end it:')} ${paint.bold(example)}`);
  const watching = isWatching ? await watchSource(request, service, waybill) : undefined;
  await untilInterrupted();
  watching?.close();
  await service.close();
}

async function listen(
  { port, session }: ServeRequest,
  shape: Shape | undefined,
  host: Awaited<ReturnType<typeof openHost>>,
): Promise<RunningService> {
  try {
    return await serveFunction({
      host,
      shape,
      port,
      now: () => session.now(),
      onCall: (call) => showCall(call, session),
    });
  } catch (error) {
    await host.close();
    throw portTrouble(error, 'serving the function', port);
  }
}

function showCall({ request, status, report, refused }: ServedCall, session: Session): void {
  const { paint } = session;
  const shown = (status < 400 ? paint.good : paint.bad)(String(status));
  const time =
    report === undefined
      ? ''
      : `  ${paint.dim(`${report.cold ? `cold start ${formatTime(report.startMs)}, ` : ''}${formatTime(report.callMs)}`)}`;
  session.say(`  ${shown}  ${paint.name(printable(request))}${time}`);
  if (refused !== undefined) session.say(`       ${paint.dim(printable(refused))}`);
  if (report?.answer.kind === 'failed' && 'stack' in report.answer.failure)
    session.say(indented(report.answer.failure.stack || report.answer.failure.message));
  if (report !== undefined) for (const line of report.log.lines) session.tell(`       ${paint.dim(printable(line))}`);
}

function indented(text: string): string {
  return text
    .split('\n')
    .slice(0, 6)
    .map((line) => `       ${printable(line.trimEnd())}`)
    .join('\n');
}

async function buildAgain(project: Project, { spec }: Target, session: Session): Promise<void> {
  const epochSeconds = session.epochSeconds();
  await build({
    project,
    functions: [spec],
    jobs: session.jobs,
    now: () => session.now(),
    tool: TOOL,
    http: () => session.http(project),
    registry: (host, plainHttp) => session.registry(host, plainHttp),
    machine: session.machine(),
    onEvent: () => undefined,
    ...(epochSeconds !== undefined && { epochSeconds }),
  });
}

/** Watches what the artifact is made from. */
async function watchSource(request: ServeRequest, service: RunningService, first: Waybill): Promise<Watching> {
  const { project, target, session } = request;
  const locked = await lockedFunction(project, target.spec);
  const work = await workOf(target.spec);
  const inputs = work.dependsOn(project, target.spec, locked);
  const folders = [target.spec.source, ...inputs.folders.map(({ folder }) => folder)];
  let before = first;
  let running: Promise<void> = Promise.resolve();
  const watching = await startWatching({
    // The sheet says what is built.
    paths: [...folders, ...project.files].map((path) => join(project.root, path)),
    onChange: () => {
      running = running.then(async () => {
        before = await reload(request, service, before);
      });
    },
    onTrouble: (found, mend) => session.remark(`${session.paint.doubt('watching')}: ${found}; ${mend}`),
  });
  session.tell(session.paint.dim(`watching ${folders.map((folder) => `${folder === '' ? '.' : folder}/`).join(', ')}`));
  // What the first change would have to wait for is loaded now.
  await Promise.all([warmUp(), work.warm?.()]);
  return watching;
}

/** Builds again, and has later calls answered by what came of it; a mistake is told, and what ran before runs on. */
async function reload({ target, session }: ServeRequest, service: RunningService, before: Waybill): Promise<Waybill> {
  const begun = performance.now();
  try {
    const project = await session.openProject();
    const [spec = target.spec] = selectFunctions(project.sheet, [target.spec.name]);
    const now = { spec, arch: target.arch };
    await buildAgain(project, now, session);
    const { plan, waybill } = await planCalls(project, now, session, true);
    if (waybill.artifact.sha256 === before.artifact.sha256) {
      session.say(`  ${session.paint.dim('changed, but the artifact is the same')}`);
      return waybill;
    }
    await service.replace(await openHost(plan));
    showReload(before, waybill, performance.now() - begun, session);
    return waybill;
  } catch (error) {
    if (!(error instanceof EmballageError)) throw error;
    session.say(errorText(error, session.paint, session.verbose));
    return before;
  }
}

function showReload(before: Waybill, now: Waybill, ms: number, session: Session): void {
  const { paint } = session;
  const change = signed(now.artifact.size - before.artifact.size);
  session.say(
    `  ${paint.good('loaded again')}  ${formatSize(now.artifact.size)} ${paint.dim(`(${change}) in ${formatTime(ms)}`)}`,
  );
  const sizes = (waybill: Waybill): Map<string, number> =>
    new Map([...waybill.modules, ...waybill.files].map(({ path, size }) => [path, size]));
  const [old, fresh] = [sizes(before), sizes(now)];
  const changes = [...new Set([...old.keys(), ...fresh.keys()])]
    .map((path) => ({
      path,
      by: (fresh.get(path) ?? 0) - (old.get(path) ?? 0),
      isNew: !old.has(path),
      isGone: !fresh.has(path),
    }))
    .filter(({ by }) => by !== 0)
    .sort((a, b) => Math.abs(b.by) - Math.abs(a.by));
  for (const { path, by, isNew, isGone } of changes.slice(0, SHOWN_FILES))
    session.tell(
      `       ${paint.name(printable(path))}  ${paint.dim(`${signed(by)}${isNew ? ', new' : isGone ? ', gone' : ''}`)}`,
    );
  if (changes.length > SHOWN_FILES) session.tell(paint.dim(`       and ${String(changes.length - SHOWN_FILES)} more`));
}

function signed(bytes: number): string {
  return bytes === 0 ? 'same size' : `${bytes > 0 ? '+' : '−'}${formatSize(Math.abs(bytes))}`;
}
