/** The store of third-party files of a project's user, opened once. */
import { PackageStore } from '../sources';
import { KINDS, type StateFolder } from './state/state';
import type { Project } from './targets';

const USUAL_MOST_UNPACKED = 1024 ** 3;

const stores = new WeakMap<StateFolder, PackageStore>();

/** The user’s store of third-party files, opened once. */
export function packageStore({ state }: Pick<Project, 'state'>): PackageStore {
  const store = stores.get(state) ?? new PackageStore(state.folder(KINDS.packages));
  stores.set(state, store);
  return store;
}

/** Absolute path of the folder that a package of that digest is unpacked into. */
export function unpackedFolder({ state }: Pick<Project, 'state'>, sha256: string): string {
  return state.file(KINDS.unpacked, sha256);
}

/** Bytes that one package of third parties may unpack to, in every ecosystem. */
export function mostUnpacked({ sheet }: Pick<Project, 'sheet'>): number {
  return sheet.mostUnpacked ?? USUAL_MOST_UNPACKED;
}
