/** Builds a project again somewhere else, in other surroundings, in a process of its own. */
import {
  appendFileSync,
  copyFileSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  renameSync,
  rmSync,
  statSync,
} from 'node:fs';
import { basename, join } from 'node:path';
import { EmballageError } from '../../base/errors';
import { copyProject } from '../../disk/copy-project';
import { OUTPUT_FOLDER } from '../../fileset/selection';
import { artifactPath, targetsOf, type Project } from '../../project/targets';
import type { FunctionSpec } from '../../sheet';
import type { Machine } from '../../toolchains/machine';
import { runProgram } from '../../toolchains/run-program';
import type { FilesToCopy } from './files-to-copy';
import type { Rebuild, Rebuilt } from './prove';
import { startIn, type Means } from './start';
import { together, type Surroundings, type Variation } from './variations';

const MAX_OUTPUT = 16 * 1024 * 1024;

export interface RebuildRequest {
  readonly project: Project;
  readonly functions: readonly FunctionSpec[];
  readonly plan: FilesToCopy;
  readonly machine: Machine;
  readonly means: Means;
  /** Absolute path of the user’s folder for caches. */
  readonly caches: string;
  /** Absolute path of a folder that is removed in the end. */
  readonly base: string;
  /** A like one on another file system, where there is one. */
  readonly otherBase: string | undefined;
  /** The words that build functions, with the path of the script first, as the runtime that runs us is given them. */
  readonly script: (sheet: string, names: readonly string[], jobs: number | undefined) => readonly string[];
  readonly onBuild: (on: readonly Variation[]) => void;
}

/** What builds the project again. */
export function rebuilder(request: RebuildRequest): Rebuild {
  return async (on, place) => {
    request.onBuild(on);
    const surroundings = together(on);
    const base = surroundings.otherDisk === true ? (request.otherBase ?? request.base) : request.base;
    const own = mkdtempSync(join(base, 'b-'));
    const above = place === undefined ? own : join(base, place);
    const root = join(above, surroundings.folder ?? 'project');
    try {
      await buildThere(request, { on, surroundings, own, root });
      return keepOutput(own, root);
    } catch (error) {
      rmSync(own, { recursive: true, force: true });
      throw error;
    } finally {
      rmSync(place === undefined ? root : above, { recursive: true, force: true });
    }
  };
}

interface There {
  readonly on: readonly Variation[];
  readonly surroundings: Surroundings;
  /** Absolute paths of a folder for what is beside the project, and of the project. */
  readonly own: string;
  readonly root: string;
}

async function buildThere(request: RebuildRequest, there: There): Promise<void> {
  const { project, plan } = request;
  const { surroundings, root } = there;
  copyProject(project.root, root, {
    ...plan,
    order: surroundings.madeBackward === true ? 'backward' : 'forward',
    ...(surroundings.mtimeSeconds !== undefined && { mtimeSeconds: surroundings.mtimeSeconds }),
    ...(surroundings.modes !== undefined && { modes: surroundings.modes }),
  });
  await runBuild(request, there);
  if (surroundings.throughStore !== true) return;
  for (const changed of filesToChange(request)) {
    appendFileSync(join(root, changed), '\n');
    await runBuild(request, there);
    copyFileSync(join(project.root, changed), join(root, changed));
  }
  await runBuild(request, there);
}

/** What was built is all that is still wanted of it. */
function keepOutput(own: string, root: string): Rebuilt {
  const kept = join(own, 'kept');
  mkdirSync(kept);
  renameSync(join(root, OUTPUT_FOLDER), join(kept, OUTPUT_FOLDER));
  return { root: kept, builtIn: root, discard: () => rmSync(own, { recursive: true, force: true }) };
}

const MOST_TEXT_BYTES = 256 * 1024;
/** What settings look like; they may be held against the lock. */
const SETTINGS = /\.(?:json|toml|xml|lock|ya?ml|cfg|ini|mod|sum|work|txt)$/;

/**
 * A text of the source of one function: an empty line at its end changes what it holds and not what it means. That with the
 * smallest artifact, which is likely to take the least time to be made again.
 */
function filesToChange({ project, functions, plan }: RebuildRequest): string[] {
  const needs = new Set(functions.flatMap((spec) => (spec.needs?.kind === 'file' ? [spec.needs.path] : [])));
  const candidates = plan.files.filter((file) => !needs.has(file) && !SETTINGS.test(file));
  const bySize = targetsOf(functions)
    .map((target) => ({ spec: target.spec, size: sizeOf(join(project.root, artifactPath(target))) }))
    .sort((a, b) => a.size - b.size);
  for (const { spec } of bySize) {
    const found = candidates.find((file) => isBelow(spec.source, file) && isText(join(project.root, file)));
    if (found !== undefined) return [found];
  }
  return [];
}

/** Images count as large: their layouts are folders. */
function sizeOf(path: string): number {
  const stat = statSync(path, { throwIfNoEntry: false });
  return stat?.isDirectory() === true ? Infinity : (stat?.size ?? 0);
}

function isBelow(folder: string, file: string): boolean {
  return folder === '' || file.startsWith(`${folder}/`);
}

function isText(path: string): boolean {
  const stat = statSync(path);
  return stat.isFile() && stat.size > 0 && stat.size <= MOST_TEXT_BYTES && !readFileSync(path).includes(0);
}

async function runBuild(request: RebuildRequest, { on, surroundings, own, root }: There): Promise<void> {
  const { project, functions, machine, means, caches } = request;
  const sheet = join(root, basename(project.files[0] ?? ''));
  const script = request.script(
    sheet,
    functions.map(({ name }) => name),
    surroundings.jobs,
  );
  const started = startIn({ surroundings, means, script, machine, caches, own });
  const end = await runProgram({ ...started, cwd: root, maxBytes: MAX_OUTPUT });
  if (end.code === 0) return;
  throw new EmballageError('REBUILD_FAILED', {
    doing: `building again with ${on.length === 0 ? 'nothing changed' : on.map(({ title }) => title).join(', ')}`,
    expected: 'the build to work there too',
    found: 'it failed',
    mend: 'see what it said',
    details: end.stderr.trim().split('\n'),
  });
}
