/** Ports: one that is free, and those that a process listens on instead. */
import { readdirSync, readFileSync, readlinkSync } from 'node:fs';
import { createServer, type AddressInfo } from 'node:net';

/** A port that is free on this machine at the moment. */
export function freePort(): Promise<number> {
  return new Promise((resolve, reject) => {
    const server = createServer();
    server.once('error', reject);
    server.listen(0, '127.0.0.1', () => {
      const { port } = server.address() as AddressInfo;
      server.close(() => resolve(port));
    });
  });
}

/** State of a socket that listens, in the tables of the system. */
const LISTENING = '0A';

/** Ports on which processes listen, from /proc; none where the system has none. */
export function portsOf(pids: readonly number[]): number[] {
  return [...new Set(pids.flatMap(portsOfOne))].sort((a, b) => a - b);
}

function portsOfOne(pid: number): number[] {
  try {
    const folder = `/proc/${String(pid)}/fd`;
    const own = new Set(readdirSync(folder).map((fd) => linkOf(`${folder}/${fd}`)));
    const ports = ['tcp', 'tcp6'].flatMap((table) =>
      readFileSync(`/proc/${String(pid)}/net/${table}`, 'utf8')
        .split('\n')
        .slice(1)
        .flatMap((line) => {
          const [, local = '', , state, , , , , , inode = ''] = line.trim().split(/\s+/);
          const isOwn = state === LISTENING && own.has(`socket:[${inode}]`);
          return isOwn ? [parseInt(local.split(':')[1] ?? '', 16)] : [];
        }),
    );
    return ports;
  } catch {
    return [];
  }
}

function linkOf(path: string): string {
  try {
    return readlinkSync(path);
  } catch {
    // Closed since it was listed.
    return '';
  }
}
