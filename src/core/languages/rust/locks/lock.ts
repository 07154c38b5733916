/** Fetches the crates that Cargo has locked, and notes every file. */
import { join } from 'node:path';
import { contentDigest } from '../../../disk/digest';
import type { LockedFunction, LockedPackage } from '../../../project/lock/lockfile';
import { packageStore } from '../../../project/user-packages';
import { fetchFirst, mismatch, settleRows, type Asked } from '../../compiled/compile/fetch-locked';
import type { SettleRequest } from '../../language';
import type { LockedCrate } from './cargo-lock';
import { crateAddress } from '../sources/crate-registry';
import { readRustNeeds } from './needs';
import { registriesFor } from '../sources/registries';

/** Settles the crates of a Rust function. @throws EmballageError where one cannot be had */
export async function settle(request: SettleRequest<'rust'>): Promise<LockedFunction> {
  const needs = readRustNeeds(request.project, request.spec);
  if (needs === undefined) throw new Error('no needs');
  const registries = await registriesFor(request, needs);
  const { sources, credentials, way } = registries;
  const asked = { sources, http: request.http.with({ credentials, way }) };
  return settleRows(request, { needs, rows: needs.crates, asked }, (crate) =>
    settleCrate(request, { sources: registries.servingAs(crate.registry), http: asked.http }, crate),
  );
}

async function settleCrate(request: SettleRequest<'rust'>, asked: Asked, crate: LockedCrate): Promise<LockedPackage> {
  const { name, version, sha256, by } = crate;
  const file = `${name}-${version}.crate`;
  const { bytes, index, from } = await fetchFirst(request, asked, name, {
    inFolder: (folder) => join(folder, file),
    atIndex: (at, http) => crateAddress(http, at, crate),
  });
  const found = contentDigest(bytes);
  if (found !== sha256) throw mismatch(file, from, `SHA-256 ${sha256}`, `SHA-256 ${found}`);
  const { size } = packageStore(request.project).put(bytes);
  return { name, version, file, sha256, size, index, from, by: [...by] };
}
