/** Finds what an artifact weighed earlier: by a waybill, by an artifact, or in the folder of another build. */
import { existsSync, statSync } from 'node:fs';
import { basename, dirname, join } from 'node:path';
import { EmballageError } from '../../base/errors';
import { printable } from '../../base/text';
import { readTextFile } from '../../disk/read-text';
import { OUTPUT_FOLDER } from '../../fileset/selection';
import type { Arch, Known } from '../../sheet';
import { readWaybill } from '../../waybill';
import { recordFrom, recordFromWaybill } from './growth';
import type { WeightRecord } from './record-schema';
import { weighFile } from './weigh';

export interface EarlierRequest {
  /** Absolute path, and the name for messages. */
  readonly path: string;
  readonly shown: string;
  /** Of the function, whose waybill is looked for in a folder. */
  readonly name: string;
  readonly arch: Arch | undefined;
  readonly languages: Pick<Known, 'all' | 'forms'>;
  readonly scratch: string;
}

const MAX_WAYBILL_BYTES = 1024 ** 3;

/** @throws EmballageError FILE_MISSING, and whatever is wrong with what is there */
export async function earlierWeights(request: EarlierRequest): Promise<WeightRecord> {
  const { path, shown, languages, arch, scratch } = request;
  const stat = statSync(path, { throwIfNoEntry: false });
  if (stat === undefined) throw nothing(shown, 'nothing');
  const file = stat.isDirectory() && !existsSync(join(path, 'oci-layout')) ? waybillIn(request) : path;
  if (!file.endsWith('.json')) {
    const named = { name: basename(file), path: file, shown, scratch, ...(arch !== undefined && { arch }) };
    return recordFrom(await weighFile(named, languages));
  }
  const text = readTextFile(file, {
    doing: 'reading an earlier waybill',
    shown,
    maxBytes: MAX_WAYBILL_BYTES,
    mendMissing: 'name a waybill that is there',
  });
  return recordFromWaybill(await readWaybill(text, { shown, languages, isVerified: false }));
}

/** Absolute path of the artifact that was weighed earlier; undefined where only its waybill is there. */
export function earlierArtifact(request: EarlierRequest, artifactName: string): string | undefined {
  const { path } = request;
  const isFolder = statSync(path, { throwIfNoEntry: false })?.isDirectory() === true;
  const file = isFolder && !existsSync(join(path, 'oci-layout')) ? waybillIn(request) : path;
  const artifact = file.endsWith('.json') ? join(dirname(file), artifactName) : file;
  return existsSync(artifact) ? artifact : undefined;
}

/** The waybill of the function in what a build has written. */
function waybillIn({ path, shown, name, arch }: EarlierRequest): string {
  const below = arch === undefined ? [name] : [name, arch];
  const places = [join(path, OUTPUT_FOLDER), path].map((at) => join(at, ...below, `${name}.waybill.json`));
  const found = places.find((at) => existsSync(at));
  if (found !== undefined) return found;
  throw nothing(shown, `a folder without a waybill of ${printable(name)}${arch === undefined ? '' : ` for ${arch}`}`);
}

function nothing(shown: string, found: string): EmballageError {
  return new EmballageError('FILE_MISSING', {
    doing: 'looking for what it weighed earlier',
    where: printable(shown),
    expected: 'a waybill, an artifact, or the folder of another build',
    found,
    mend: 'name one that is there',
  });
}
