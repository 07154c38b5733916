/** What tests of native functions share. */
import { readFileSync } from 'node:fs';
import { folderWith, type Files } from './program';
import { sourceOfBytes } from '../../src/core/formats/byte-source';
import { openZip, readEntry } from '../../src/core/formats/zip';

export const CROSS = 'aarch64-linux-gnu-gcc';
export const EMULATOR = 'qemu-aarch64-static';

const DESTINATIONS = {
  'slipway.yaml': `destination: slipway
arch: [x86_64, arm64]
accepts: { zip: { packed: 8 MiB }, binary: { packed: 8 MiB } }
runtimes: { native: { glibc: "2.36", start: run } }
`,
};

/** A project with one native function `solver` in `f/`, and keys of its own. */
export function nativeProject(source: Files, keys: Readonly<Record<string, unknown>> = {}, more: Files = {}): string {
  const spec = {
    source: 'f',
    runtime: 'c',
    entry: 'main.c',
    artifact: 'zip',
    arch: ['x86_64'],
    timeout: '2 s',
    ...keys,
  };
  return folderWith({
    ...Object.fromEntries(Object.entries(source).map(([path, content]) => [`f/${path}`, content])),
    'emballage.yaml': JSON.stringify({
      project: 'fernhaven-tides',
      destinations: { slipway: 'slipway.yaml' },
      defaults: { destination: 'slipway' },
      functions: { solver: spec },
    }),
    ...DESTINATIONS,
    'event.json': '{ "hours": 7 }',
    ...more,
  });
}

/** A function in C that answers every event with what the body prints. */
export function answering(body: string, before = ''): string {
  return `#include <stdio.h>\n#include <stdlib.h>\n${before}
static char line[65536];
int main(void) { while (fgets(line, sizeof line, stdin)) { ${body} fflush(stdout); } return 0; }
`;
}

/** Names, modes and sizes of what an archive holds. */
export function entriesOf(path: string): { path: string; mode: string; size: number }[] {
  const { entries } = openZip(sourceOfBytes(readFileSync(path)), path);
  return entries.map((one) => ({ path: one.path, mode: (one.mode ?? 0).toString(8), size: one.size }));
}

export function contentOf(archive: string, path: string): Buffer {
  const source = sourceOfBytes(readFileSync(archive));
  const entry = openZip(source, archive).entries.find((one) => one.path === path);
  if (entry === undefined) throw new Error(`no ${path}`);
  return Buffer.from(readEntry(source, entry, 1 << 28));
}
