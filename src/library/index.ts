/**
 * The library: what the commands do, for programs. All that is public is exported here; nothing is printed, and nothing
 * ends the process. What people, tools or services get wrong is thrown as an `EmballageError`, with a stable code.
 */
import {
  EmballageError,
  type ErrorCode,
  type ErrorFacts,
  type ErrorKind,
  type Place,
  type Problem,
} from '../core/base/errors';
import { surroundings } from '../cli/session/machine';
import { TOOL } from '../cli/program';
import { withScratch } from '../cli/session/scratch';
import { Session } from '../cli/session/session';
import type { CheckedFinding } from '../core/pipeline/check';
import { selectFunctions, targetsOf, type Project as OpenedProject } from '../core/project/targets';

export { EmballageError, type ErrorCode, type ErrorFacts, type ErrorKind, type Place, type Problem };

export interface OpenOptions {
  /** Folder that `sheet` starts from; that of the process otherwise. */
  readonly folder?: string;
  /** The packing sheet; otherwise the nearest `emballage.yaml`, from the folder upwards. */
  readonly sheet?: string;
  /** Use no network, only what was fetched before. */
  readonly offline?: boolean;
  /** Threads to use; one a core otherwise. */
  readonly jobs?: number;
}

/** A sheet that was read, with its destinations. */
export interface Project {
  /** Absolute path of the folder in which the sheet lies. */
  readonly root: string;
  readonly functions: readonly FunctionSummary[];
}

export interface FunctionSummary {
  readonly name: string;
  /** Language and version, as in the sheet. */
  readonly runtime: string;
  /** Its form: `zip`, `jar`, `binary`, `image`. */
  readonly artifact: string;
  readonly architectures: readonly Architecture[];
  /** Name of the destination. */
  readonly destination: string;
}

export type Architecture = 'x86_64' | 'arm64';

/** Which functions; all of the sheet otherwise. */
export interface Choice {
  readonly functions?: readonly string[];
}

export interface LockedFunction {
  readonly name: string;
  /** `unchanged`: the requirements are those that were settled, and nothing was asked of anybody. */
  readonly status: 'unchanged' | 'settled' | 'no-needs';
  /** By architecture. */
  readonly packages: Readonly<Record<string, readonly LockedPackage[]>>;
  /** Who was asked, and why they. */
  readonly sources: readonly { readonly at: string; readonly why: string }[];
  /** What people should know of the sources that were asked. */
  readonly notes: readonly string[];
}

export interface LockedPackage {
  readonly name: string;
  readonly version: string;
  readonly sha256: string;
  /** Bytes. */
  readonly size: number;
}

export interface BuiltArtifact {
  readonly name: string;
  readonly arch: Architecture;
  /** `unchanged`: nothing was done. `same`: made again, with the same bytes. `stored`: taken from the store. */
  readonly status: 'unchanged' | 'same' | 'stored' | 'built' | 'fetched';
  /** Absolute paths of the artifact and its waybill. */
  readonly artifact: string;
  readonly waybill: string;
  /** Bytes of the artifact, and of what is in it, unpacked. */
  readonly size: number;
  readonly unpacked: number;
  readonly files: number;
  readonly sha256: string;
}

export interface CheckedArtifact {
  readonly name: string;
  readonly arch: Architecture;
  readonly destination: string;
  /** No finding says stop, or all that do are accepted in the sheet. */
  readonly isFit: boolean;
  readonly findings: readonly CheckFinding[];
}

export interface CheckFinding {
  /** `size/packed`. */
  readonly rule: string;
  readonly level: 'stop' | 'warn' | 'note';
  readonly where?: string;
  readonly expected: string;
  readonly found: string;
  readonly mend: string;
  /** The sheet accepts it. */
  readonly isAccepted: boolean;
}

interface Opened {
  readonly project: OpenedProject;
  readonly session: Session;
}

const opened = new WeakMap<Project, Opened>();

/** Reads a sheet. @throws EmballageError SHEET_INVALID with every mistake and its place; FILE_MISSING */
export async function openProject(options: OpenOptions = {}): Promise<Project> {
  const { folder, sheet, offline = false, jobs } = options;
  const session = new Session({
    json: false,
    quiet: true,
    verbose: false,
    offline,
    color: false,
    ...(folder !== undefined && { cwd: folder }),
    ...(sheet !== undefined && { sheet }),
    ...(jobs !== undefined && { jobs }),
  });
  const inner = await session.openProject();
  const functions = inner.sheet.functions.map(({ name, runtime, form, archs, destination }) => ({
    name,
    runtime: runtime.text,
    artifact: form.id,
    architectures: archs,
    destination,
  }));
  const project: Project = { root: inner.root, functions };
  opened.set(project, { project: inner, session });
  return project;
}

function open(
  project: Project,
  { functions = [] }: Choice,
): Opened & { readonly chosen: ReturnType<typeof selectFunctions> } {
  const found = opened.get(project);
  if (found === undefined)
    throw new EmballageError('USAGE', {
      doing: 'using the library',
      expected: 'a project of `openProject`',
      found: 'another object',
      mend: 'open the project first, and pass on what that gives',
    });
  return { ...found, chosen: selectFunctions(found.project.sheet, functions) };
}

/**
 * Settles what functions need from others, into the lock beside the sheet.
 * @param choice.upgrade names of packages whose newest versions are taken; `all` for every one
 * @throws EmballageError for the first function that cannot be settled
 */
export async function lock(
  project: Project,
  choice: Choice & { readonly upgrade?: readonly string[] | 'all' } = {},
): Promise<LockedFunction[]> {
  const { project: inner, session, chosen } = open(project, choice);
  const { lockFunctions } = await import('../core/pipeline/lock');
  const outcomes = await lockFunctions({
    project: inner,
    functions: chosen,
    machine: session.machine(),
    jobs: session.jobs,
    http: await session.http(inner),
    upgrade: choice.upgrade ?? [],
    registry: (host, plainHttp) => session.registry(host, plainHttp),
    onSettling: () => undefined,
    onBase: () => undefined,
  });
  return outcomes.map(({ name, status, targets, sources, notes }) => ({
    name,
    status,
    sources,
    notes,
    packages: Object.fromEntries(
      Object.entries(targets).map(([arch, packages]) => [
        arch,
        packages.map(({ name: own, version, sha256, size }) => ({ name: own, version, sha256, size })),
      ]),
    ),
  }));
}

/**
 * Makes artifacts and waybills; what has not changed is left alone.
 * @param choice.sourceDateEpoch seconds since 1970 that files carry; the format's floor otherwise
 * @throws EmballageError for the first function that cannot be built
 */
export async function build(
  project: Project,
  choice: Choice & { readonly sourceDateEpoch?: number } = {},
): Promise<BuiltArtifact[]> {
  const { project: inner, session, chosen } = open(project, choice);
  const { build: buildFunctions } = await import('../core/pipeline/build');
  const built = await buildFunctions({
    project: inner,
    functions: chosen,
    jobs: session.jobs,
    tool: TOOL,
    machine: session.machine(),
    now: () => session.now(),
    http: () => session.http(inner),
    registry: (host, plainHttp) => session.registry(host, plainHttp),
    onEvent: () => undefined,
    ...(choice.sourceDateEpoch !== undefined && { epochSeconds: choice.sourceDateEpoch }),
  });
  return built.flatMap(({ targets }) =>
    targets.map(({ name, arch, status, artifact, waybill, size, unpacked, files, sha256 }) => ({
      name,
      arch,
      status,
      size,
      unpacked,
      files,
      sha256,
      artifact: `${project.root}/${artifact}`,
      waybill: `${project.root}/${waybill}`,
    })),
  );
}

function plainFinding({ rule, level, where, expected, found, mend, accepted }: CheckedFinding): CheckFinding {
  return {
    rule,
    level,
    ...(where !== undefined && { where }),
    expected,
    found,
    mend,
    isAccepted: accepted !== undefined,
  };
}

/** Holds artifacts against their destination. @throws EmballageError ARTIFACT_MISSING for what was not built */
export async function check(project: Project, choice: Choice = {}): Promise<CheckedArtifact[]> {
  const { project: inner, session, chosen } = open(project, choice);
  const { checkTarget, stopFindings } = await import('../core/pipeline/check');
  return withScratch('check', async (scratch) => {
    const found: CheckedArtifact[] = [];
    for (const target of targetsOf(chosen)) {
      const checked = await checkTarget(inner, target, {
        jobs: session.jobs,
        machine: session.machine(),
        scratch,
        today: session.today(),
        surroundings: surroundings(inner.root),
      });
      found.push({
        name: target.spec.name,
        arch: target.arch,
        destination: target.spec.destination,
        isFit: stopFindings([checked]).length === 0,
        findings: checked.outcomes.flatMap(({ findings }) => findings.map(plainFinding)),
      });
    }
    return found;
  });
}
