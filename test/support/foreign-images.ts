/** Images that somebody else made, and what check finds in them. */
import { ARM64, makeElf, X86_64 } from './elf-bytes';
import { layoutTar, type HandImage } from './images';
import { folderWith, HORN, run } from './program';

export const MOORINGS = `destination: moorings
arch: [x86_64, arm64]
accepts: { image: { packed: 1 MiB, layer: 512 KiB, layers: 3 } }
runtimes: {}
`;

interface Checked {
  readonly artifacts: readonly {
    readonly rules: readonly {
      readonly id: string;
      readonly findings: readonly { readonly level: string; readonly where?: string; readonly found: string }[];
    }[];
  }[];
}

/** A program for a processor, which names a loader or none. */
export function elfFile(arch: 'x86_64' | 'arm64', interpreter?: string): Buffer {
  return makeElf({
    machine: arch === 'arm64' ? ARM64 : X86_64,
    type: 2,
    ...(interpreter !== undefined && { interpreter }),
  });
}

/** What check finds in an image, `rule level where: found`. */
export function findingsIn(images: readonly HandImage[], args: readonly string[] = []): string[] {
  const root = folderWith({ 'image.oci.tar': layoutTar(images), 'moorings.yaml': MOORINGS });
  const { stdout, stderr } = run(root, ['check', 'image.oci.tar', '--at', './moorings.yaml', '--json', ...args]);
  expect(stderr).toBe('');
  return (JSON.parse(stdout) as Checked).artifacts.flatMap(({ rules }) =>
    rules.flatMap(({ id, findings }) =>
      findings.map(({ level, where, found }) => `${id} ${level} ${where ?? '-'}: ${found}`),
    ),
  );
}

export const NODE = { name: 'usr/bin/node', data: elfFile('x86_64'), mode: 0o755 };
export const GOOD: HandImage = {
  layers: [[NODE, { name: 'app/horn.mjs', data: HORN }]],
  config: { Entrypoint: ['node', 'horn.mjs'], WorkingDir: '/app', User: '1000', Env: ['PATH=/usr/bin'] },
};
export const changed = (config: object): HandImage => ({ ...GOOD, config: { ...GOOD.config, ...config } });
