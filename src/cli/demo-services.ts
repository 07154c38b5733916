/** What the example needs beside it: an index of packages, a registry, and two hosts of functions. */
import { spawn } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { EmballageError } from '../core/base/errors';
import { endsWithUs } from '../core/toolchains/run-program';

/** Where the example's files say that its packages, its registry and its hosts are. */
const IN_FILES = {
  index: 'http://127.0.0.1:8427/',
  registry: '127.0.0.1:8430',
  trial: 'http://127.0.0.1:8441',
  live: 'http://127.0.0.1:8442',
};

export interface DemoServices {
  /** Changes the files of an example to the ports that were free. */
  pointAt(folder: string): void;
  close(): void;
}

/** @param examples absolute path of the folder with the example and its packages */
export async function serveExample(examples: string): Promise<DemoServices> {
  const kept = mkdtempSync(join(tmpdir(), 'fernhaven-services-'));
  const host = (name: string): readonly string[] => {
    mkdirSync(join(kept, name));
    return ['host', join(kept, name), '--destination', join(examples, `fernhaven-tides/destinations/${name}.yaml`)];
  };
  const running = await Promise.all([
    serve(['index', join(examples, 'fernhaven-packages')], / at (http:\S+)\n/),
    serve(['registry', join(kept, 'moorings')], / at (\S+:\d+)\n/),
    serve(host('trial'), / at (http:\S+)\n/),
    serve(host('live'), / at (http:\S+)\n/),
  ]);
  // The live host has its own secrets.
  writeFileSync(join(kept, 'live/held.json'), JSON.stringify({ BELL_TOKEN: 'made-up, of the live host' }));
  const [index, registry, trial, live] = running.map(({ url }) => url);
  const found = { index: new URL('/', index).href, registry: registry ?? '', trial: trial ?? '', live: live ?? '' };
  return {
    pointAt(folder) {
      for (const name of sheetsAndDestinations(folder)) {
        const file = join(folder, name);
        const was = readFileSync(file, 'utf8');
        let text = was;
        for (const [what, url] of Object.entries(IN_FILES))
          text = text.replaceAll(url, found[what as keyof typeof IN_FILES]);
        if (text !== was) writeFileSync(file, text);
      }
    },
    close() {
      for (const one of running) one.close();
      rmSync(kept, { recursive: true, force: true });
    },
  };
}

/** Every YAML file that can name a server: none has to be listed, so that none can be forgotten. */
function sheetsAndDestinations(folder: string): string[] {
  return ['', 'destinations']
    .flatMap((within) => readdirSync(join(folder, within)).map((name) => join(within, name)))
    .filter((name) => name.endsWith('.yaml'));
}

/**
 * Runs a stand-in in a process of its own, since the steps block this one.
 * @param pattern whose first group is where it says that it is
 */
function serve(what: readonly string[], pattern: RegExp): Promise<{ readonly url: string; close(): void }> {
  const args = [process.argv[1] ?? '', 'stand-in', ...what, '--port', '0', '--no-color'];
  const child = spawn(process.execPath, args, { detached: true, stdio: ['ignore', 'pipe', 'inherit'] });
  endsWithUs(child);
  return new Promise((resolve, reject) => {
    let said = '';
    child.stdout.on('data', (bytes: Buffer) => {
      said += bytes.toString('utf8');
      const [, url] = pattern.exec(said) ?? [];
      if (url !== undefined) resolve({ url, close: () => child.kill() });
    });
    child.once('error', reject);
    child.once('exit', () =>
      reject(
        new EmballageError('HOST_FAILED', {
          doing: 'serving what the example needs',
          expected: `the stand-in ${what[0] ?? ''} to run`,
          found: 'it ended',
          mend: 'see what it said',
        }),
      ),
    );
  });
}
