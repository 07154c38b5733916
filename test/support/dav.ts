/** The web server with its DAV module, in tests. */
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { hasDav, startDav } from './dav-server';
import { itNeeds } from './needs';
import { folderWith } from './program';
import { freePort, ownProcess } from './stand-ins';

/** A test that needs the server. */
export const itWithDav = itNeeds({ isHere: hasDav, what: 'a web server with DAV', from: 'apache2-bin' });

/** @param login `NAME:PASSWORD` that it wants */
export async function davServer(login?: string): Promise<{ readonly url: string; readonly folder: string }> {
  const [port, root] = [await freePort(), folderWith({})];
  ownProcess(startDav({ root, port, login }));
  const url = `http://127.0.0.1:${String(port)}`;
  for (let i = 0; i < 100; i++) {
    if ((await fetch(url).catch(() => undefined)) !== undefined) return { url, folder: join(root, 'files') };
    await sleep(50);
  }
  throw new Error('the web server does not answer');
}
