/** Takes unreachable methods and fields out of the classes of an assembled JAR. */
import { existsSync, lstatSync, readFileSync } from 'node:fs';
import { crc32 } from 'node:zlib';
import { contentDigest } from '../../../disk/digest';
import { stampOf } from '../../../disk/stamp';
import { writeWhole } from '../../../disk/write';
import type { PackedFile, Trimmed, UnseenImport } from '../../../fileset/model';
import { deflateWhole } from '../../../formats/deflate';
import { METHOD_DEFLATED } from '../../../formats/zip';
import {
  classNameOf,
  deepTrim,
  kindOf,
  withoutRelease,
  type JvmAssembled,
  type JvmEntry,
  type LooksUp,
} from './assembling';
import { makeSelection } from '../../../fileset/selection';
import type { AssemblyRequest } from '../../language';
import { KEPT } from '../caches';

export interface DeepTrimmed {
  /** What classes are packed as, by path; the others stay as they are. */
  readonly files: ReadonlyMap<string, Pick<PackedFile, 'source' | 'stamp' | 'size' | 'sha256' | 'packed'>>;
  readonly trimmed: readonly Trimmed[];
  readonly unseen: readonly UnseenImport[];
}

interface Record {
  readonly entries: readonly {
    path: string;
    size: number;
    sha256: string;
    crc32: number;
    at: number;
    length: number;
  }[];
  readonly reflects?: LooksUp;
}

/** What was taken out is kept by the digests of all classes: it depends on every one of them. */
export function deepTrimmed(request: AssemblyRequest<'jvm'>, assembled: JvmAssembled): DeepTrimmed {
  const classes = assembled.entries.filter(
    ({ path }) => kindOf(path) === 'class' && withoutRelease(path).release === 0,
  );
  const whole = [...(assembled.whole ?? [])].sort();
  const { keep } = request.spec;
  const key = contentDigest(
    JSON.stringify(['4', whole, keep, classes.map(({ path, entry, input }) => [path, entry.sha256, input.owner])]),
  );
  const out = request.project.state.file(KEPT.shaded, `${key}.deep`);
  if (!existsSync(`${out}.json`)) make(out, classes, new Set(whole), keep);
  const record = JSON.parse(readFileSync(`${out}.json`, 'utf8')) as Record;
  const stamp = stampOf(lstatSync(out));
  const before = new Map(classes.map((one) => [one.path, one]));
  const files = new Map(
    record.entries.map(({ path, size, sha256, crc32: sum, at, length }) => [
      path,
      { source: out, stamp, size, sha256, packed: { at, length, method: METHOD_DEFLATED, crc32: sum } },
    ]),
  );
  return {
    files,
    trimmed: record.entries.map(({ path, size }) => ({
      path,
      size: (before.get(path)?.entry.size ?? size) - size,
      package: before.get(path)?.input.owner ?? '',
      by: 'members-not-reached',
    })),
    unseen: record.reflects === undefined ? [] : [unseenMembers(record.reflects)],
  };
}

function unseenMembers({ className, method, line }: LooksUp): UnseenImport {
  const what = `${className.replaceAll('/', '.')}.${method}: members are looked up when it runs`;
  return { file: `${className}.class`, line, what, kept: 'every field and public method' };
}

function make(out: string, classes: readonly JvmEntry[], whole: ReadonlySet<string>, keep: readonly string[]): void {
  const selection = makeSelection([], keep);
  const owners = new Map(classes.map(({ path, input }) => [classNameOf(path), input.owner]));
  const isWhole = (name: string): boolean => {
    const owner = owners.get(name) ?? '';
    // The function's own classes are the team's to tidy up; the host looks into them, too.
    return owner === '' || whole.has(owner) || selection.keptBy(`${name}.class`) !== undefined;
  };
  const content = new Map(classes.map(({ path, entry, input }) => [classNameOf(path), input.read(entry)]));
  const { changed, reflects } = deepTrim({ classes: content, isWhole, ownerOf: (name) => owners.get(name) ?? '' });
  const parts: Uint8Array[] = [];
  let at = 0;
  const entries = [...changed].map(([name, bytes]) => {
    const packed = deflateWhole(bytes);
    parts.push(packed);
    const place = { at, length: packed.length };
    at += packed.length;
    return { path: `${name}.class`, size: bytes.length, sha256: contentDigest(bytes), crc32: crc32(bytes), ...place };
  });
  writeWhole(out, Buffer.concat(parts), out);
  const record: Record = { entries, ...(reflects !== undefined && { reflects }) };
  writeWhole(`${out}.json`, JSON.stringify(record), out);
}
