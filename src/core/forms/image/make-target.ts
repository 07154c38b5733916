/** The image of one target: its base is brought here, and its layers are made. */
import { OpenFiles } from '../../disk/file-source';
import type { PackedEntry, PackedFile } from '../../fileset/model';
import type { Compressor } from '../packing';
import type { ImageRun } from '../../languages';
import type { LockedBase } from '../../project/lock/lockfile';
import { KINDS } from '../../project/state/state';
import type { Project } from '../../project/targets';
import { tidyKind } from '../../project/state/tidy';
import type { Arch, Entry, FunctionSpec } from '../../sheet';
import type { RegistryConnection } from '../../sources/registry';
import type { Machine } from '../../toolchains/machine';
import { readyBase } from './base/base';
import { blobStore } from './blob-store';
import { functionPath } from './cut';
import type { Made } from '../form';
import { makeImage } from './make-image';

export interface ImageTarget {
  readonly project: Project;
  readonly spec: FunctionSpec;
  readonly arch: Arch;
  readonly entries: readonly PackedEntry[];
  readonly hostEntry: Entry;
  /** How images start functions of its language. */
  readonly run: ImageRun;
  /** What it stands on, as it was settled. */
  readonly base: LockedBase | undefined;
  /** SHA-256 of source files that have not changed, by path; undefined where nothing was built before. */
  readonly known: ReadonlyMap<string, string> | undefined;
  /** Seconds since 1970. */
  readonly epochSeconds: number;
  readonly machine: Machine;
  readonly registry: (host: string, plainHttp: boolean) => Promise<RegistryConnection>;
  readonly compressor: Compressor;
  readonly reader: {
    pieces(file: PackedFile): Iterable<Uint8Array>;
    digest(file: PackedFile): string;
  };
  readonly onFetch: (doing: string, doneBytes: number, totalBytes: number) => void;
  readonly onPack: (doneBytes: number, totalBytes: number) => void;
}

/** Makes the image of one target, and what places it. */
export async function makeImageTarget(request: ImageTarget): Promise<Made> {
  const { project, spec, arch, machine, registry, compressor, entries, known, reader, run } = request;
  const store = blobStore(project);
  tidyKind(project.state, KINDS.blobs);
  const basing = { project, spec, machine, compressor, registry, onProgress: request.onFetch };
  const base = await readyBase(basing, arch, request.base);
  let hashed = 0;
  const digestOf = (file: PackedFile): string => {
    const before = known?.get(functionPath(file.path));
    if (before === undefined) hashed += 1;
    return before ?? reader.digest(file);
  };
  const totalBytes = entries.reduce((sum, entry) => sum + (entry.kind === 'file' ? entry.size : 0), 0);
  const stretches = new OpenFiles();
  try {
    const image = await makeImage({
      project,
      spec,
      arch,
      base,
      compressor,
      store,
      entries,
      run,
      destination: project.sheet.destinations[spec.destination],
      hostEntry: request.hostEntry,
      epochSeconds: request.epochSeconds,
      digestOf: known === undefined ? undefined : digestOf,
      pieces: (file) => reader.pieces(file),
      stretch: (file, content) => stretches.read(file.source, content),
      onProgress: (doneBytes) => request.onPack(doneBytes, totalBytes),
    });
    const { sha256, size, unpacked, packed } = image;
    const digests = new Map([...image.digests].map(([path, digest]) => [functionPath(path), digest]));
    const place = (path: string): void => image.place(path);
    const artifact = { sha256, size, unpacked };
    const time = formatSeconds(request.epochSeconds);
    return { artifact, digests, packed, hashed: hashed + packed, time, laidOut: image, place };
  } finally {
    stretches.close();
  }
}

/** `1970-01-01 00:00:00`, UTC. */
function formatSeconds(seconds: number): string {
  return new Date(seconds * 1000).toISOString().slice(0, 19).replace('T', ' ');
}
