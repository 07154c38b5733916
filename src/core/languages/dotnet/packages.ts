/** The locked packages of a target, fetched by their digests and unpacked. Nothing is settled here. */
import { resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { severalAtOnce } from '../../base/several';
import type { LockedPackage } from '../../project/lock/lockfile';
import { mostUnpacked, packageStore, unpackedFolder } from '../../project/user-packages';
import type { AssemblyRequest } from '../language';
import { feedsFor } from './locks/lock';
import { unpackPackage, type UnpackedPackage } from './packages/package-file';

export interface ReadyPackage {
  readonly locked: LockedPackage;
  readonly unpacked: UnpackedPackage;
}

const AT_ONCE = 8;

/** The locked packages of a target, verified, fetched where they are not there. */
export async function readyPackages(request: AssemblyRequest<'dotnet'>): Promise<ReadyPackage[]> {
  const { project, spec, packages, machine } = request;
  const store = packageStore(project);
  const open = packages.filter(({ sha256 }) => store.find(sha256) === undefined);
  if (open.length > 0) {
    const http = await request.http();
    const { feeds, sources } = feedsFor(project, spec, { http, machine });
    await severalAtOnce(open, AT_ONCE, async ({ file, sha256, size, from }) => {
      const isRemote = /^https?:/.test(from);
      const url = isRemote ? from : pathToFileURL(resolve(project.root, from)).href;
      const source = sources.find(({ kind, at }) => kind === 'index' && isRemote && sameHost(at, from));
      const credentials = source === undefined ? {} : { credentials: feeds.credentialsOf(source) };
      await store.get({ file, sha256, size, url, ...credentials }, http);
    });
  }
  const ready: ReadyPackage[] = [];
  const mostBytes = mostUnpacked(project);
  for (const locked of packages) {
    const folder = unpackedFolder(project, locked.sha256);
    ready.push({
      locked,
      unpacked: await unpackPackage({ path: store.pathOf(locked.sha256), file: locked.file, folder, mostBytes }),
    });
  }
  return ready;
}

function sameHost(a: string, b: string): boolean {
  return new URL(a).host === new URL(b).host;
}
