/** Fetches the crates that Cargo has locked, and notes every file. */
import { join } from 'node:path';
import { contentDigest } from '../../disk/digest';
import type { LockedFunction, LockedPackage } from '../../project/lockfile';
import { packageStore } from '../../project/package-store';
import { fetchFirst, mismatch, settleRows } from '../compiled/fetch-locked';
import type { SettleRequest } from '../language';
import type { LockedCrate } from './cargo-lock';
import { crateAddress } from './crate-registry';
import { readRustNeeds } from './needs';

const ADVICE =
  'add `sources: [{ index: "https://…" }]` with the sparse index of a registry, or commit what `cargo vendor` makes, with its settings';

export async function settle(request: SettleRequest<'rust'>): Promise<LockedFunction> {
  const needs = readRustNeeds(request.project, request.spec);
  if (needs === undefined) throw new Error('no needs');
  return settleRows(request, { needs, rows: needs.crates, advice: ADVICE }, (crate) => settleCrate(request, crate));
}

async function settleCrate(request: SettleRequest<'rust'>, crate: LockedCrate): Promise<LockedPackage> {
  const { name, version, sha256, by } = crate;
  const file = `${name}-${version}.crate`;
  const { bytes, index, from } = await fetchFirst(request, name, {
    inFolder: (folder) => join(folder, file),
    atIndex: (at, http) => crateAddress(http, at, crate),
  });
  const found = contentDigest(bytes);
  if (found !== sha256) throw mismatch(file, from, `SHA-256 ${sha256}`, `SHA-256 ${found}`);
  const { size } = packageStore(request.project).put(bytes);
  return { name, version, file, sha256, size, index, from, by: [...by] };
}
