/** The image of one target: its base is brought here, and its layers are made. */
import { OpenFiles } from '../../disk/file-source';
import type { PackedFile } from '../../fileset/model';
import type { Compressor } from '../../forms/compress';
import type { Assembly } from '../build/assemble';
import type { BuildRequest, ChangedLook } from '../build/build';
import type { Made } from '../build/make';
import type { Target } from '../../project/targets';
import { readyBase } from './base';
import { blobStore } from './blob-store';
import { functionPath } from './cut';
import { makeImage } from './make-image';

export interface ImageTarget {
  readonly target: Target;
  readonly assembly: Assembly;
  readonly compressor: Compressor;
  readonly reader: {
    pieces(file: PackedFile): Iterable<Uint8Array>;
    digest(file: PackedFile): string;
  };
}

export async function makeImageTarget(
  request: BuildRequest,
  { index, survey, base: locked }: ChangedLook,
  { target: { spec, arch }, assembly, compressor, reader }: ImageTarget,
): Promise<Made> {
  const { project, machine, registry, onEvent, epochSeconds } = request;
  const onFetch = (doing: string, doneBytes: number, totalBytes: number): void =>
    onEvent({ kind: 'fetching', doing, doneBytes, totalBytes });
  const store = blobStore(project);
  store.tidy();
  const base = await readyBase({ project, spec, machine, compressor, registry, onProgress: onFetch }, arch, locked);
  const known = index?.knownDigests(survey.items);
  let hashed = 0;
  const digestOf = (file: PackedFile): string => {
    const before = known?.get(functionPath(file.path));
    if (before === undefined) hashed += 1;
    return before ?? reader.digest(file);
  };
  const { entries } = assembly.fileSet;
  const totalBytes = entries.reduce((sum, entry) => sum + (entry.kind === 'file' ? entry.size : 0), 0);
  const stretches = new OpenFiles();
  try {
    const image = await makeImage({
      ...{ project, spec, arch, base, compressor, store, entries },
      destination: project.sheet.destinations[spec.destination],
      hostEntry: assembly.hostEntry,
      epochSeconds: epochSeconds ?? 0,
      digestOf: known === undefined ? undefined : digestOf,
      pieces: (file) => reader.pieces(file),
      stretch: (file, content) => stretches.read(file.source, content),
      onProgress: (doneBytes) => onEvent({ kind: 'packing', name: spec.name, doneBytes, totalBytes }),
    });
    const { sha256, size, unpacked, packed } = image;
    const digests = new Map([...image.digests].map(([path, digest]) => [functionPath(path), digest]));
    const place = (path: string): void => image.place(path);
    return { artifact: { sha256, size, unpacked }, digests, packed, hashed: hashed + packed, image, place };
  } finally {
    stretches.close();
  }
}
