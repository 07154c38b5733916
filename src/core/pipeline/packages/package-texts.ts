/** What a package's file says of its licence: its metadata and the texts in it, nothing else of it is read. */
import { readFileSync, statSync } from 'node:fs';
import { gunzipSync } from 'node:zlib';
import { withFileSource } from '../../disk/file-source';
import { isLicenceText, type PackageText } from '../../findings/licences';
import { sourceOfBytes } from '../../formats/byte-source';
import { isGzip } from '../../formats/gzip';
import { listTar } from '../../formats/tar';
import { openZip, readEntry } from '../../formats/zip';
import type { Describing } from '../../languages';

const MOST_TEXT_BYTES = 1024 * 1024;
const MOST_TEXTS = 100;
/** A larger file is not looked into: what is unpacked whole has to fit into memory. */
const MOST_PACKED_BYTES = 256 * 1024 * 1024;
const MOST_UNPACKED_BYTES = 1024 * 1024 * 1024;
/** What lies deeper is about parts of it. */
const MOST_DEPTH = 4;

/** @param path absolute @returns nothing for what is no archive, or a damaged one */
export async function packageTexts(path: string, file: string, describing: Describing): Promise<PackageText[]> {
  const wanted = (inside: string): string | undefined => {
    const plain = describing.root === undefined ? inside : inside.replace(describing.root, '');
    const isWanted = describing.metadata?.test(plain) === true || isLicenceText(plain);
    return isWanted && plain.split('/').length <= MOST_DEPTH ? plain : undefined;
  };
  try {
    return (await isPacked(path, file)) ? inTarball(path, file, wanted) : await inZip(path, file, wanted);
  } catch {
    // What cannot be read says nothing. Building it tells of the fault.
    return [];
  }
}

function isPacked(path: string, file: string): Promise<boolean> {
  return withFileSource(path, file, (source) => source.size > 2 && isGzip(source.read(0, 2)));
}

type Wanted = (inside: string) => string | undefined;

function inZip(path: string, file: string, wanted: Wanted): Promise<PackageText[]> {
  return withFileSource(path, file, (source) => {
    const texts: PackageText[] = [];
    for (const entry of openZip(source, file).entries) {
      const plain = entry.kind === 'file' && entry.size <= MOST_TEXT_BYTES ? wanted(entry.path) : undefined;
      if (plain === undefined || texts.length >= MOST_TEXTS) continue;
      texts.push({ path: plain, text: textOf(readEntry(source, entry, MOST_TEXT_BYTES)) });
    }
    return texts;
  });
}

function inTarball(path: string, file: string, wanted: Wanted): PackageText[] {
  if (statSync(path).size > MOST_PACKED_BYTES) return [];
  const bytes = gunzipSync(readFileSync(path), { maxOutputLength: MOST_UNPACKED_BYTES });
  const texts: PackageText[] = [];
  for (const { head, at } of listTar(sourceOfBytes(bytes), file)) {
    const plain = head.kind === 'file' && head.size <= MOST_TEXT_BYTES ? wanted(head.path) : undefined;
    if (plain === undefined || texts.length >= MOST_TEXTS) continue;
    texts.push({ path: plain, text: textOf(bytes.subarray(at, at + head.size)) });
  }
  return texts;
}

/** Bytes as text: UTF-8, with what is none replaced. */
export function textOf(bytes: Uint8Array): string {
  return Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength).toString('utf8');
}
