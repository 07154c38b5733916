/** Targets that another machine has made already: taken from the shared store, and given to it. */
import { chmodSync, readFileSync, renameSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { EmballageError } from '../../base/errors';
import { settlePath } from '../../base/paths';
import { severalAtOnce } from '../../base/several';
import { contentDigest, fileDigest } from '../../disk/digest';
import { guarded, temporaryBeside } from '../../disk/write';
import { PROGRAM_MODE, type LeftOut } from '../../fileset/model';
import { workOf } from '../../languages';
import { NOTHING_SHARED } from '../../project/state/state';
import { artifactPath, waybillPath, type Project, type Target } from '../../project/targets';
import type { Arch } from '../../sheet';
import { inputsAfter, watched } from './careful-status';
import type { BuildRequest, BuiltFunction, BuiltTarget, ChangedStatus, BuildStatus } from './model';
import { archsOf, indexPath, recordsOf } from './records';
import type { About } from './shared-schema';
import { writeStatIndex } from './stat-index';

/** Changed when the same inputs come to be told otherwise. */
const VERSION = 1;
const AT_ONCE = 16;

export interface FromOthers {
  /** Functions of which all that is wanted was there. */
  readonly built: ReadonlyMap<BuildStatus, BuiltFunction>;
  /** Gives what was made here to others. */
  give(status: ChangedStatus, made: BuiltFunction): Promise<BuiltFunction>;
}

/** Asks for all functions that have changed, several at once. */
export async function fromOthers(request: BuildRequest, statuses: readonly BuildStatus[]): Promise<FromOthers> {
  const built = new Map<BuildStatus, BuiltFunction>();
  const { shared } = request.project.state;
  if (shared === NOTHING_SHARED) return { built, give: (_look, made) => Promise.resolve(made) };
  const sources = new Map<BuildStatus, Source>();
  // An image stands on blobs that the store of its project has to have; its layers are shared one by one.
  const changed = statuses.flatMap((status) =>
    status.unchanged === undefined && status.survey.refused.length === 0 && status.spec.form.isLayered !== true
      ? [status]
      : [],
  );
  await severalAtOnce(changed, AT_ONCE, async (status) => {
    try {
      const source = await sourceOf(request, status);
      sources.set(status, source);
      const found = await fetchFunction(request, status, source);
      if (found !== undefined) built.set(status, found);
    } catch (error) {
      // What is wrong with the function itself is told where it is made.
      if (!(error instanceof EmballageError)) throw error;
    }
  });
  return {
    built,
    give: async (status, made) => {
      const source = sources.get(status);
      if (source !== undefined) await giveFunction(request, status, made, source);
      return made;
    },
  };
}

/** What a function is made of, but for what is known only after making it. */
interface Source {
  /** Digest of all that is known before. */
  readonly key: string;
  /** Of each file, by path. */
  readonly digests: ReadonlyMap<string, string>;
}

async function sourceOf({ project, machine }: BuildRequest, status: ChangedStatus): Promise<Source> {
  const { spec, survey, common, locked } = status;
  const work = await workOf(spec);
  const known = status.index?.knownDigests(survey.items) ?? new Map<string, string>();
  const digests = new Map<string, string>();
  const items = survey.items.map((item) => {
    const { path, kind, mode, target } = item;
    const digest = kind === 'file' ? (known.get(path) ?? fileDigest(item.source)) : (target ?? '');
    if (kind === 'file') digests.set(path, digest);
    return [path, kind, mode & 0o100, digest];
  });
  // Which of them is chosen is for each to find out; where all are the same, so is the choice.
  const rows = work.usesPrograms?.(spec, project) === true ? (await work.run.found(machine)).rows : [];
  const programs = rows.map(({ name, version, what }) => [name, version, what]).sort();
  const { code } = project.state;
  return { key: contentDigest(JSON.stringify([VERSION, code, common, locked, items, programs])), digests };
}

/** Everything that the bytes of a target depend on. */
function targetKey({ key }: Source, config: string, arch: Arch): string {
  return contentDigest(JSON.stringify([key, config, arch]));
}

async function fetchFunction(
  request: BuildRequest,
  status: ChangedStatus,
  source: Source,
): Promise<BuiltFunction | undefined> {
  const { project, part } = request;
  const { spec, survey, common, lookedAtMs } = status;
  await learnBesides(request, status, source);
  const { inputs, config } = await inputsAfter(project, status);
  const targets: FetchedTarget[] = [];
  for (const arch of archsOf(spec, part)) {
    const found = await fetchTarget(project, { spec, arch }, targetKey(source, config, arch));
    if (found === undefined) {
      targets.forEach((one) => one.discard());
      return undefined;
    }
    targets.push(found);
  }
  const built = targets.map((one) => one.place());
  const leftOut = targets[0]?.leftOut ?? [];
  writeStatIndex(indexPath(project, spec), {
    common,
    config,
    survey,
    leftOut,
    lookedAtMs,
    watched: watched(project, inputs, lookedAtMs),
    targets: recordsOf(project, built),
    digests: source.digests,
  });
  return { targets: built, hashed: source.digests.size, packed: 0, leftOut };
}

/** Files beside the source folder that others know of from building it. */
async function learnBesides({ project }: BuildRequest, { spec }: ChangedStatus, { key }: Source): Promise<void> {
  const { besides } = await workOf(spec);
  if (besides === undefined) return;
  const path = temporaryBeside(indexPath(project, spec));
  if (!(await project.state.shared.fetch('besides', key, { list: path }))) return;
  try {
    const { besideFiles } = await import('./shared-schema');
    const read = besideFiles.safeParse(JSON.parse(readFileSync(path, 'utf8')));
    // What another machine says must not lead out of the project.
    if (read.success)
      besides.learn(
        project,
        spec,
        read.data.filter((one) => settlePath(one) === one),
      );
  } catch {
    // Without it they are found by building.
  } finally {
    rmSync(path, { force: true });
  }
}

interface FetchedTarget {
  readonly leftOut: readonly LeftOut[];
  place(): BuiltTarget;
  discard(): void;
}

async function fetchTarget(project: Project, target: Target, key: string): Promise<FetchedTarget | undefined> {
  const [artifact, waybill] = [artifactPath(target), waybillPath(target)];
  const [artifactTo, waybillTo] = [join(project.root, artifact), join(project.root, waybill)];
  const here = {
    artifact: temporaryBeside(artifactTo),
    waybill: temporaryBeside(waybillTo),
    about: temporaryBeside(waybillTo),
  };
  if (!(await project.state.shared.fetch('target', key, here))) return undefined;
  const discard = (): void => Object.values(here).forEach((path) => rmSync(path, { force: true }));
  const facts = await readAbout(here.about);
  // The parts of one result belong together, whoever signed it.
  const isWhole =
    fileDigest(here.artifact) === facts?.sha256 &&
    readFileSync(here.waybill, 'utf8').slice(0, HEAD_LETTERS).includes(facts.sha256);
  if (!isWhole) {
    discard();
    return undefined;
  }
  const { sha256, size, unpacked, files, trimmed, leftOut } = facts;
  const { spec, arch } = target;
  return {
    leftOut: leftOut as readonly LeftOut[],
    discard,
    place: () => {
      guarded(artifact, () => {
        if (spec.form.isProgram === true) chmodSync(here.artifact, PROGRAM_MODE);
        // There is never an artifact beside the waybill of another.
        rmSync(waybillTo, { force: true });
        renameSync(here.artifact, artifactTo);
        renameSync(here.waybill, waybillTo);
        rmSync(here.about, { force: true });
      });
      return { name: spec.name, arch, status: 'fetched', artifact, waybill, size, unpacked, files, sha256, trimmed };
    },
  };
}

/** The digest of the artifact stands before the first list of a waybill. */
const HEAD_LETTERS = 4096;

async function readAbout(path: string): Promise<About | undefined> {
  try {
    const { about } = await import('./shared-schema');
    const read = about.safeParse(JSON.parse(readFileSync(path, 'utf8')));
    return read.success ? read.data : undefined;
  } catch {
    return undefined;
  }
}

async function giveFunction(
  { project }: BuildRequest,
  status: ChangedStatus,
  { targets, leftOut }: BuiltFunction,
  source: Source,
): Promise<void> {
  const { spec } = status;
  const { shared } = project.state;
  const { besides } = await workOf(spec);
  const files = besides?.known(project, spec) ?? [];
  if (files.length > 0) shared.offer('besides', source.key, { list: Buffer.from(JSON.stringify(files)) });
  const { config } = await inputsAfter(project, status);
  for (const { arch, artifact, waybill, sha256, size, unpacked, files: count, trimmed } of targets)
    shared.offer('target', targetKey(source, config, arch), {
      artifact: join(project.root, artifact),
      waybill: join(project.root, waybill),
      about: Buffer.from(JSON.stringify({ sha256, size, unpacked, files: count, trimmed, leftOut })),
    });
}
