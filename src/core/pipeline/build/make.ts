/** Makes the artifacts of functions that have changed, and puts them where they belong. */
import { readFileSync, rmSync, statSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { keepUnversioned } from '../../disk/unversioned';
import { guarded, removeLeftovers, writeInProject } from '../../disk/write';
import { NO_EDGES } from '../../fileset/edges';
import { collect } from '../../fileset/collect';
import { OUTPUT_FOLDER } from '../../fileset/selection';
import { goingOn } from '../../findings/failure';
import { openForm, type FormWork, type Made } from '../../forms';
import { compressorFor, Store, THREADS_PAY_FROM_BYTES, type Compressor } from '../../forms/packing';
import { languageOf, LANGUAGES, workOf, type Assembly, type Work } from '../../languages';
import { entryString, type Arch } from '../../sheet';
import { formatWaybill, makeWaybill, type Waybill } from '../../waybill';
import { collectRequest, inputsAfter, watched } from './careful-status';
import { EPOCH_FLOOR_SECONDS } from './epoch';
import type { BuildRequest, BuiltFunction, BuiltTarget, ChangedStatus, BuildStatus } from './model';
import { besideOf } from '../../project/beside';
import { runtimeOf } from '../../project/destination-runtime';
import type { LockedPackage } from '../../project/lock/lockfile';
import { KINDS } from '../../project/state/state';
import { tidyKind, tidyState } from '../../project/state/tidy';
import { archsOf, indexPath, recordsOf } from './records';
import { fromOthers } from './shared';
import { writeStatIndex } from './stat-index';
import { removePapers } from '../../project/papers';
import { artifactName, artifactPath, waybillPath, type Target } from '../../project/targets';

/** Makes what has changed. The caller holds the build lock. */
export async function makeFunctions(request: BuildRequest, statuses: readonly BuildStatus[]): Promise<BuiltFunction[]> {
  const { state } = request.project;
  tidyState(state, new Set(LANGUAGES.flatMap(({ caches }) => caches)));
  tidyKind(state, KINDS.artifacts);
  const store = new Store(state.folder(KINDS.artifacts));
  const changed = statuses.flatMap((status) => (status.unchanged === undefined ? status.survey.items : []));
  const bytes = changed.reduce((sum, item) => sum + item.stamp.size, 0);
  // Of layers that were made before, most are there already.
  const isMuch = bytes >= THREADS_PAY_FROM_BYTES && !statuses.every(isMadeBefore);
  const compressor = compressorFor(request.jobs, isMuch);
  try {
    const built: BuiltFunction[] = [];
    const shared = await fromOthers(request, statuses);
    for (const status of statuses) {
      const one =
        status.unchanged ??
        shared.built.get(status) ??
        (await goingOn(status.spec.name, request.onFailure, async () =>
          shared.give(status, await (await makerOf(request, status, { store, compressor })).run()),
        ));
      if (one !== undefined) built.push(one);
    }
    keepUnversioned(join(request.project.root, OUTPUT_FOLDER));
    return built;
  } finally {
    await compressor.close();
  }
}

function isMadeBefore(status: BuildStatus): boolean {
  return status.unchanged !== undefined || (status.spec.form.isLayered === true && status.index !== undefined);
}

/** Where artifacts come from and go through. */
interface Means {
  readonly store: Store;
  readonly compressor: Compressor;
}

async function makerOf(request: BuildRequest, status: ChangedStatus, means: Means): Promise<Maker> {
  return new Maker(request, status, { work: await workOf(status.spec), form: await openForm(status.spec.form) }, means);
}

class Maker {
  readonly #request: BuildRequest;
  readonly #status: ChangedStatus;
  readonly #work: Work;
  readonly #form: FormWork;
  readonly #means: Means;
  /** What was made of each list of packages: without any, all architectures get the same artifact. */
  readonly #made = new Map<string, { readonly assembly: Assembly; readonly made: Made }>();

  /** What was compiled before its turn. */
  readonly #ahead = new Map<Arch, Assembly>();

  constructor(
    request: BuildRequest,
    status: ChangedStatus,
    { work, form }: { readonly work: Work; readonly form: FormWork },
    means: Means,
  ) {
    this.#request = request;
    this.#status = status;
    this.#work = work;
    this.#form = form;
    this.#means = means;
  }

  async run(): Promise<BuiltFunction> {
    const { spec } = this.#status;
    const targets: BuiltTarget[] = [];
    await this.#compileAhead();
    const archs = archsOf(spec, this.#request.part);
    for (const arch of archs) targets.push(await this.#makeTarget({ spec, arch }));
    const all = [...this.#made.values()];
    const { project } = this.#request;
    if (archs.length === spec.archs.length) this.#form.complete?.(project, spec, targets);
    const { inputs, config } = await inputsAfter(project, this.#status);
    const leftOut = all[0]?.assembly.fileSet.leftOut ?? [];
    writeStatIndex(indexPath(project, spec), {
      config,
      common: this.#status.common,
      watched: watched(project, inputs, this.#status.lookedAtMs),
      targets: recordsOf(project, targets),
      survey: this.#status.survey,
      leftOut,
      // What a source file holds counts, not what was made of it.
      digests: new Map(all.flatMap(({ made, assembly }) => [...made.digests, ...assembly.sourceDigests])),
      lookedAtMs: this.#status.lookedAtMs,
    });
    const sum = (key: 'hashed' | 'packed'): number => all.reduce((total, { made }) => total + made[key], 0);
    return { targets, hashed: sum('hashed'), packed: sum('packed'), leftOut };
  }

  async #makeTarget(target: Target): Promise<BuiltTarget> {
    const packages = this.#status.locked?.targets[target.arch] ?? [];
    // Packages may hold files for several processors, of which each artifact gets its own; code is compiled for each.
    const isForArch = packages.length > 0 || this.#work.isMadeByProcessor || target.spec.form.isLayered === true;
    const key = JSON.stringify([packages, isForArch ? target.arch : '']);
    const before = this.#made.get(key);
    const assembly = before?.assembly ?? this.#ahead.get(target.arch) ?? (await this.#assemble(target, packages));
    const made = before?.made ?? (await this.#make(target, assembly));
    this.#made.set(key, { assembly, made });
    return this.#place(target, assembly, made);
  }

  /** Compilers use one core for much of their time: those for several processors run at once. */
  async #compileAhead(): Promise<void> {
    const { spec, locked } = this.#status;
    const archs = archsOf(spec, this.#request.part);
    if (!this.#work.isMadeByProcessor || this.#request.jobs < 2 || archs.length < 2) return;
    const outcomes = await Promise.allSettled(
      archs.map(async (arch) => {
        this.#ahead.set(arch, await this.#assemble({ spec, arch }, locked?.targets[arch] ?? []));
      }),
    );
    // All have ended, so that nothing goes on behind an error.
    const failed = outcomes.find((one) => one.status === 'rejected');
    if (failed !== undefined) throw failed.reason;
  }

  #assemble({ arch }: Target, packages: readonly LockedPackage[]): Promise<Assembly> {
    const { project, http, machine, jobs, epochSeconds, onEvent } = this.#request;
    const { survey, spec, locked, index } = this.#status;
    if (this.#work.isMadeByProcessor) onEvent({ kind: 'compiling', name: spec.name, arch });
    const own = collect(collectRequest(project, spec, locked !== undefined), survey);
    const knownDigests = index?.knownDigests(survey.items) ?? new Map<string, string>();
    return this.#work.assemble(
      {
        project,
        spec,
        arch,
        locked,
        packages,
        http,
        machine,
        jobs,
        knownDigests,
        epochSeconds: epochSeconds ?? EPOCH_FLOOR_SECONDS,
        onCompiling: (what) => onEvent({ kind: 'compiling', name: spec.name, arch, what }),
      },
      own,
    );
  }

  #make({ spec, arch }: Target, assembly: Assembly): Promise<Made> {
    const { project, machine, registry, onEvent, epochSeconds } = this.#request;
    const { base, index, survey } = this.#status;
    return this.#form.make({
      project,
      spec,
      arch,
      assembly,
      base,
      machine,
      registry,
      epochSeconds,
      ...this.#means,
      run: this.#work.run.image,
      known: index?.knownDigests(survey.items),
      onFetch: (doing, doneBytes, totalBytes) => onEvent({ kind: 'fetching', doing, doneBytes, totalBytes }),
      onPack: (doneBytes, totalBytes) => onEvent({ kind: 'packing', name: spec.name, doneBytes, totalBytes }),
    });
  }

  /** Puts artifact and waybill in place. There is never a moment in which an artifact lies beside the waybill of another. */
  #place(target: Target, assembly: Assembly, made: Made): BuiltTarget {
    const root = this.#request.project.root;
    const artifact = artifactPath(target);
    const waybill = waybillPath(target);
    const before = this.#status.index?.targets[target.arch];
    const text = formatWaybill(this.#waybill(target, assembly, made));
    removeLeftovers(join(root, dirname(artifact)));
    // Papers are of one artifact and one waybill.
    if (!holds(join(root, waybill), text) || before?.sha256 !== made.artifact.sha256)
      removePapers(this.#request.project, target);
    guarded(waybill, () => {
      rmSync(join(root, waybill), { force: true });
    });
    if (before?.sha256 !== made.artifact.sha256) this.#form.replacing?.(this.#request.project, target);
    made.place(join(root, artifact));
    writeInProject(join(root, waybill), text, waybill);
    const status = before?.sha256 === made.artifact.sha256 ? 'same' : made.packed > 0 ? 'built' : 'stored';
    const files = (made.laidOut?.fileSet ?? assembly.fileSet).entries.length;
    const trimmed = assembly.trimmed.reduce((sum, one) => sum + one.size, 0);
    return { name: target.spec.name, arch: target.arch, status, artifact, waybill, files, trimmed, ...made.artifact };
  }

  #waybill(target: Target, assembly: Assembly, made: Made): Waybill {
    const { trimmed, overlaps, unseen, missing, edges: edges = NO_EDGES, modules, hostEntry } = assembly;
    const { project, tool } = this.#request;
    const { laidOut } = made;
    const destination = project.sheet.destinations[target.spec.destination];
    if (destination === undefined) throw new Error(`no destination ${target.spec.destination}`);
    return makeWaybill({
      project: project.sheet.project,
      spec: target.spec,
      arch: target.arch,
      host: entryString(destination, languageOf(target.spec.runtime.language).sheet.entry, hostEntry),
      fileSet: laidOut?.fileSet ?? assembly.fileSet,
      digests: laidOut?.digests ?? made.digests,
      artifact: { file: artifactName(target.spec), ...made.artifact },
      packages: assembly.packages.map((one) => {
        const { name, version, file, sha256, by } = one;
        return { name, version, file, sha256, by: [...by], ...assembly.carriedOf?.(one) };
      }),
      provided: this.#status.locked === undefined ? [] : (runtimeOf(project, target.spec)?.provides ?? []),
      carried: assembly.carried ?? {},
      trimmed,
      overlaps,
      unseen,
      missing,
      edges,
      modules,
      hostEntry,
      settings: assembly.settings ?? [],
      toolchains: assembly.toolchains,
      beside: besideOf(project, target.spec),
      time: made.time,
      ...(laidOut !== undefined && { laidOut }),
      tool,
    });
  }
}

function holds(path: string, bytes: Buffer): boolean {
  try {
    return statSync(path).size === bytes.length && readFileSync(path).equals(bytes);
  } catch {
    // Nothing there, or nothing that may be read.
    return false;
  }
}
