/** Makes the artifacts of functions that have changed, and puts them where they belong. */
import { createHash } from 'node:crypto';
import { chmodSync, readFileSync, rmSync, statSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { contentDigest } from '../../disk/digest';
import { filePieces, OpenFiles } from '../../disk/file-source';
import { keepUnversioned } from '../../disk/unversioned';
import { guarded, removeLeftovers, writeInProject } from '../../disk/write';
import { PROGRAM_MODE, type FileSet, type PackedFile } from '../../fileset/model';
import { DEFLATE_ENCODER, SEGMENT_BYTES } from '../../formats/deflate';
import { DOS_FLOOR, formatDosTime, toDosTime, type DosTime } from '../../formats/zip';
import { directCompressor, THREADS_PAY_FROM_BYTES, type Compressor } from '../../forms/packing/compress';
import { compressInThreads } from '../../forms/packing/compress-pool';
import { packBinary } from '../../forms/binary/pack';
import { packZip } from '../../forms/packing/pack-zip';
import { JAR_MANIFEST } from '../../formats/jar';
import { NO_ASKS } from '../../fileset/asks';
import { collect } from '../../fileset/collect';
import { OUTPUT_FOLDER } from '../../fileset/selection';
import { goingOn } from '../../findings/failure';
import { languageOf, LANGUAGES, workOf, type Assembly, type Work } from '../../languages';
import { entryString, type Arch } from '../../sheet';
import { filesDigest, formatWaybill, makeWaybill, type Waybill } from '../../waybill';
import { collectRequest, inputsAfter, watched } from './careful-look';
import { EPOCH_FLOOR_SECONDS } from './epoch';
import type { BuildRequest, BuiltFunction, BuiltTarget, ChangedLook, Look } from './model';
import { besideOf } from '../../project/beside';
import { runtimeOf } from '../../project/destination-runtime';
import type { MadeImage } from '../../forms/image';
import type { LockedPackage } from '../../project/lock/lockfile';
import { KINDS, NOTHING_SHARED } from '../../project/state/state';
import { tidyKind, tidyState } from '../../project/state/tidy';
import { archsOf, indexPath, recordsOf } from './records';
import { fromOthers } from './shared';
import { Store, type StoredArtifact } from '../../forms/packing/store';
import { writeStatIndex } from './stat-index';
import { removePapers } from '../../project/papers';
import { artifactName, artifactPath, waybillPath, type Target } from '../../project/targets';

/** Makes what has changed. The caller holds the build lock. */
export async function makeFunctions(request: BuildRequest, looks: readonly Look[]): Promise<BuiltFunction[]> {
  const { state } = request.project;
  tidyState(state, new Set(LANGUAGES.flatMap(({ keeps }) => keeps)));
  tidyKind(state, KINDS.artifacts);
  const store = new Store(state.folder(KINDS.artifacts));
  const changed = looks.flatMap((look) => (look.unchanged === undefined ? look.survey.items : []));
  const bytes = changed.reduce((sum, item) => sum + item.stamp.size, 0);
  // Of an image that was made before, most layers are there already.
  const isMuch = bytes >= THREADS_PAY_FROM_BYTES && !looks.every(isMadeBefore);
  const compressor = request.jobs > 1 ? compressInThreads(request.jobs, isMuch) : directCompressor;
  try {
    const built: BuiltFunction[] = [];
    const shared = await fromOthers(request, looks);
    for (const look of looks) {
      const one =
        look.unchanged ??
        shared.built.get(look) ??
        (await goingOn(look.spec.name, request.onFailure, async () =>
          shared.give(look, await new Maker(request, look, await workOf(look.spec), { store, compressor }).run()),
        ));
      if (one !== undefined) built.push(one);
    }
    keepUnversioned(join(request.project.root, OUTPUT_FOLDER));
    return built;
  } finally {
    await compressor.close();
  }
}

function isMadeBefore(look: Look): boolean {
  return look.unchanged !== undefined || (look.spec.form === 'image' && look.index !== undefined);
}

/** An artifact, with the digest of each file in it. */
export interface Made {
  readonly artifact: StoredArtifact;
  readonly digests: ReadonlyMap<string, string>;
  readonly packed: number;
  readonly hashed: number;
  /** Puts it under a name, whole or not at all. @param path absolute */
  place(path: string): void;
  /** Images: what they are made of. */
  readonly image?: MadeImage;
}

class Maker {
  readonly #request: BuildRequest;
  readonly #look: ChangedLook;
  readonly #work: Work;
  readonly #store: Store;
  readonly #compressor: Compressor;
  readonly #time: DosTime;
  /** What was made of each list of packages: without any, all architectures get the same artifact. */
  readonly #made = new Map<string, { readonly assembly: Assembly; readonly made: Made }>();

  /** What was compiled before its turn. */
  readonly #ahead = new Map<Arch, Assembly>();

  constructor(
    request: BuildRequest,
    look: ChangedLook,
    work: Work,
    { store, compressor }: { readonly store: Store; readonly compressor: Compressor },
  ) {
    this.#request = request;
    this.#look = look;
    this.#work = work;
    this.#store = store;
    this.#compressor = compressor;
    this.#time = request.epochSeconds === undefined ? DOS_FLOOR : toDosTime(request.epochSeconds);
  }

  async run(): Promise<BuiltFunction> {
    const { spec } = this.#look;
    const targets: BuiltTarget[] = [];
    await this.#compileAhead();
    const archs = archsOf(spec, this.#request.part);
    for (const arch of archs) targets.push(await this.#makeTarget({ spec, arch }));
    const all = [...this.#made.values()];
    const { project } = this.#request;
    if (spec.form === 'image' && archs.length === spec.archs.length)
      (await import('../../forms/image')).placeWholeLayout(project, spec, targets);
    const { inputs, config } = await inputsAfter(project, this.#look);
    const leftOut = all[0]?.assembly.fileSet.leftOut ?? [];
    writeStatIndex(indexPath(project, spec), {
      ...{ config, common: this.#look.common },
      watched: watched(project, inputs, this.#look.lookedAtMs),
      targets: recordsOf(project, targets),
      survey: this.#look.survey,
      leftOut,
      // What a source file holds counts, not what was made of it.
      digests: new Map(all.flatMap(({ made, assembly }) => [...made.digests, ...assembly.sourceDigests])),
      lookedAtMs: this.#look.lookedAtMs,
    });
    const sum = (key: 'hashed' | 'packed'): number => all.reduce((total, { made }) => total + made[key], 0);
    return { targets, hashed: sum('hashed'), packed: sum('packed'), leftOut };
  }

  async #makeTarget(target: Target): Promise<BuiltTarget> {
    const packages = this.#look.locked?.targets[target.arch] ?? [];
    // Packages may hold files for several processors, of which each artifact gets its own; code is compiled for each.
    const isForArch = packages.length > 0 || this.#work.isMadeByProcessor || target.spec.form === 'image';
    const key = JSON.stringify([packages, isForArch ? target.arch : '']);
    const before = this.#made.get(key);
    const assembly = before?.assembly ?? this.#ahead.get(target.arch) ?? (await this.#assemble(target, packages));
    const made = before?.made ?? (await this.#make(target, assembly));
    this.#made.set(key, { assembly, made });
    return this.#place(target, assembly, made);
  }

  /** Compilers use one core for much of their time: those for several processors run at once. */
  async #compileAhead(): Promise<void> {
    const { spec, locked } = this.#look;
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
    const { survey, spec, locked, index } = this.#look;
    if (this.#work.isMadeByProcessor) onEvent({ kind: 'compiling', name: spec.name, arch });
    const own = collect(collectRequest(project, spec, locked !== undefined), survey);
    const knownDigests = index?.knownDigests(survey.items) ?? new Map<string, string>();
    return this.#work.assemble(
      {
        ...{ project, spec, arch, locked, packages, http, machine, jobs, knownDigests },
        epochSeconds: epochSeconds ?? EPOCH_FLOOR_SECONDS,
        onCompiling: (what) => onEvent({ kind: 'compiling', name: spec.name, arch, what }),
      },
      own,
    );
  }

  async #make(target: Target, assembly: Assembly): Promise<Made> {
    if (target.spec.form === 'image') return this.#makeImage(target, assembly);
    return this.#findInStore(assembly.fileSet) ?? this.#pack(assembly.fileSet);
  }

  async #makeImage({ spec, arch }: Target, { fileSet, hostEntry }: Assembly): Promise<Made> {
    const { makeImageTarget } = await import('../../forms/image');
    const { project, machine, registry, onEvent, epochSeconds = 0 } = this.#request;
    const { base } = this.#look;
    return makeImageTarget({
      ...{ project, spec, arch, machine, registry, epochSeconds, hostEntry, base, run: this.#work.run.image },
      entries: fileSet.entries,
      known: this.#knownForLayers(),
      compressor: this.#compressor,
      reader: { pieces: (file) => this.#pieces(file), digest: (file) => this.#hashFile(file) },
      onFetch: (doing, doneBytes, totalBytes) => onEvent({ kind: 'fetching', doing, doneBytes, totalBytes }),
      onPack: (doneBytes, totalBytes) => onEvent({ kind: 'packing', name: spec.name, doneBytes, totalBytes }),
    });
  }

  /** Where a layer may be here or elsewhere already, it is worth reading all files before packing any. */
  #knownForLayers(): ReadonlyMap<string, string> | undefined {
    const { index, survey } = this.#look;
    const isShared = this.#request.project.state.shared !== NOTHING_SHARED;
    return index?.knownDigests(survey.items) ?? (isShared ? new Map<string, string>() : undefined);
  }

  /** After an earlier build most digests are known; the rest is read, and the store is asked. */
  #findInStore(fileSet: FileSet): Made | undefined {
    if (this.#look.index === undefined) return undefined;
    const known = this.#look.index.knownDigests(this.#look.survey.items);
    const digests = new Map<string, string>();
    let hashed = 0;
    for (const entry of fileSet.entries) {
      if (entry.kind === 'folder') continue;
      const found = entry.kind === 'file' ? (entry.sha256 ?? known.get(entry.path)) : undefined;
      if (found === undefined && entry.kind === 'file') hashed += 1;
      digests.set(entry.path, found ?? (entry.kind === 'file' ? this.#hashFile(entry) : contentDigest(entry.target)));
    }
    const key = this.#key(fileSet, digests);
    const artifact = this.#store.find(key);
    return artifact === undefined ? undefined : this.#stored(key, { artifact, digests, packed: 0, hashed });
  }

  #stored(key: string, made: Omit<Made, 'place'>): Made {
    return { ...made, place: (path) => this.#store.place(key, path) };
  }

  async #pack(fileSet: FileSet): Promise<Made> {
    const { name, form } = this.#look.spec;
    const totalBytes = fileSet.entries.reduce((sum, e) => sum + (e.kind === 'file' ? e.size : 0), 0);
    const sink = this.#store.begin();
    const stretches = new OpenFiles();
    try {
      const memory = Buffer.allocUnsafeSlow(Math.min(totalBytes, SEGMENT_BYTES));
      const pieces = (file: PackedFile): Generator<Buffer<ArrayBuffer>> => this.#pieces(file, memory);
      const onProgress = (doneBytes: number): void =>
        this.#request.onEvent({ kind: 'packing', name, doneBytes, totalBytes });
      const isZip = form !== 'binary';
      const { size, unpacked, digests } = !isZip
        ? packBinary({ fileSet, pieces, sink, onProgress })
        : await packZip({
            fileSet,
            pieces,
            compressor: this.#compressor,
            sink,
            time: this.#time,
            stretch: (file, content) => stretches.read(file.source, content),
            ...(this.#look.spec.form === 'jar' && { first: JAR_MANIFEST }),
            onProgress,
          });
      const artifact = { sha256: sink.close(), size, unpacked };
      if (!isZip) guarded(name, () => chmodSync(sink.path, PROGRAM_MODE));
      const key = this.#key(fileSet, digests);
      this.#store.keep(key, sink, artifact);
      return this.#stored(key, { artifact, digests, packed: fileSet.entries.length, hashed: digests.size });
    } catch (error) {
      sink.discard();
      throw error;
    } finally {
      stretches.close();
    }
  }

  /** Puts artifact and waybill in place. There is never a moment in which an artifact lies beside the waybill of another. */
  async #place(target: Target, assembly: Assembly, made: Made): Promise<BuiltTarget> {
    const root = this.#request.project.root;
    const artifact = artifactPath(target);
    const waybill = waybillPath(target);
    const before = this.#look.index?.targets[target.arch];
    const text = formatWaybill(this.#waybill(target, assembly, made));
    removeLeftovers(join(root, dirname(artifact)));
    // Papers are of one artifact and one waybill.
    if (!holds(join(root, waybill), text) || before?.sha256 !== made.artifact.sha256)
      removePapers(this.#request.project, target);
    guarded(waybill, () => {
      rmSync(join(root, waybill), { force: true });
    });
    if (target.spec.form === 'image' && before?.sha256 !== made.artifact.sha256)
      (await import('../../forms/image')).removeArchive(this.#request.project, target);
    made.place(join(root, artifact));
    writeInProject(join(root, waybill), text, waybill);
    const status = before?.sha256 === made.artifact.sha256 ? 'same' : made.packed > 0 ? 'built' : 'stored';
    const files = (made.image?.fileSet ?? assembly.fileSet).entries.length;
    const trimmed = assembly.trimmed.reduce((sum, one) => sum + one.size, 0);
    return { name: target.spec.name, arch: target.arch, status, artifact, waybill, files, trimmed, ...made.artifact };
  }

  #waybill(target: Target, assembly: Assembly, made: Made): Waybill {
    const { trimmed, overlaps, unseen, missing, asks = NO_ASKS, modules, hostEntry } = assembly;
    const { project, tool, epochSeconds } = this.#request;
    const { image } = made;
    const destination = project.sheet.destinations[target.spec.destination];
    if (destination === undefined) throw new Error(`no destination ${target.spec.destination}`);
    return makeWaybill({
      project: project.sheet.project,
      spec: target.spec,
      arch: target.arch,
      host: entryString(destination, languageOf(target.spec.runtime.language).sheet.entry, hostEntry),
      fileSet: image?.fileSet ?? assembly.fileSet,
      digests: image?.digests ?? made.digests,
      artifact: { file: artifactName(target.spec), ...made.artifact },
      packages: assembly.packages.map((one) => {
        const { name, version, file, sha256, by } = one;
        return { name, version, file, sha256, by: [...by], ...assembly.carriedOf?.(one) };
      }),
      provided: this.#look.locked === undefined ? [] : (runtimeOf(project, target.spec)?.provides ?? []),
      carried: assembly.carried ?? {},
      ...{ trimmed, overlaps, unseen, missing, asks, modules, hostEntry },
      settings: assembly.settings ?? [],
      toolchains: assembly.toolchains,
      beside: besideOf(project, target.spec),
      time: image === undefined ? formatDosTime(this.#time) : formatSeconds(epochSeconds ?? 0),
      ...(image !== undefined && { image: { facts: image.image, layerOf: image.layerOf, placed: image.placed } }),
      tool,
    });
  }

  #pieces(file: PackedFile, memory?: Buffer<ArrayBuffer>): Generator<Buffer<ArrayBuffer>> {
    const shown = file.origin.from === 'source' ? file.origin.at : file.path;
    return filePieces(file.source, shown, file.stamp, SEGMENT_BYTES, memory);
  }

  #hashFile(file: PackedFile): string {
    const hash = createHash('sha256');
    for (const piece of this.#pieces(file)) hash.update(piece);
    return hash.digest('hex');
  }

  /** What the artifact's bytes depend on. */
  #key(fileSet: FileSet, digests: ReadonlyMap<string, string>): string {
    const { date, time } = this.#time;
    const files = filesDigest(fileSet, digests);
    return contentDigest([this.#look.spec.form, DEFLATE_ENCODER, date, time, files].join('\n'));
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

/** `1970-01-01 00:00:00`, UTC. */
function formatSeconds(seconds: number): string {
  return new Date(seconds * 1000).toISOString().slice(0, 19).replace('T', ' ');
}
