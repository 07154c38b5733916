/** Fetches the modules that Go has summed up, and notes every file. */
import { join } from 'node:path';
import { baseOf } from '../../base/paths';
import { contentDigest } from '../../disk/digest';
import { holdToBound } from '../../disk/unpack/unpacked-bound';
import { sourceOfBytes } from '../../formats/byte-source';
import { openZip, readEntry } from '../../formats/zip';
import type { LockedFunction, LockedPackage } from '../../project/lock/lockfile';
import { mostUnpacked, packageStore } from '../../project/user-packages';
import { fetchFirst, MAX_FILE_BYTES, mismatch, settleRows, type Asked } from '../compiled/compile/fetch-locked';
import type { SettleRequest } from '../language';
import { dirHash, escapedPath, type GoFile } from './go-sum';
import { readGoNeeds, type GoNeeds } from './needs';
import { keptPrivate, proxiesFor } from './proxies';

/** Settles the modules of a Go function. @throws EmballageError where one cannot be had, or has another sum */
export async function settle(request: SettleRequest<'go'>): Promise<LockedFunction> {
  const needs = readGoNeeds(request.project, request.spec);
  if (needs === undefined) throw new Error('no needs');
  const proxies = await proxiesFor(request, needs);
  const asked = { sources: proxies.sources, http: request.http };
  return settleRows(request, { needs, rows: needs.modules, asked }, (file) => {
    if (proxies.isPrivate(file.module)) throw keptPrivate(request, file.module, proxies);
    return settleModule(request, { needs, asked }, file);
  });
}

async function settleModule(
  request: SettleRequest<'go'>,
  { needs, asked }: { readonly needs: GoNeeds; readonly asked: Asked },
  wanted: GoFile,
): Promise<LockedPackage> {
  const { module, version, kind, hash } = wanted;
  const path = `${escapedPath(module)}/@v/${escapedPath(version)}.${kind}`;
  const { bytes, index, from } = await fetchFirst(request, asked, module, {
    inFolder: (folder) => join(folder, path),
    atIndex: (at) => Promise.resolve(`${at.replace(/\/+$/, '')}/${path}`),
  });
  const file = `${baseOf(module)}@${version}.${kind}`;
  const found =
    kind === 'mod'
      ? dirHash([{ name: 'go.mod', sha256: contentDigest(bytes) }])
      : zipHash(bytes, file, mostUnpacked(request.project));
  if (found !== hash) throw mismatch(file, from, hash, found);
  const { sha256, size } = packageStore(request.project).put(bytes);
  return { name: module, version, file, sha256, size, index, from, by: [...needs.files] };
}

function zipHash(bytes: Buffer, file: string, mostBytes: number): string {
  const source = sourceOfBytes(bytes);
  const { entries } = openZip(source, file);
  holdToBound(file, entries, mostBytes);
  return dirHash(
    entries
      .filter(({ kind }) => kind === 'file')
      .map((entry) => ({ name: entry.path, sha256: contentDigest(readEntry(source, entry, MAX_FILE_BYTES)) })),
  );
}
