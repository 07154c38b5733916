import { statSync } from 'node:fs';
import { join } from 'node:path';
import { ARM64, makeElf, X86_64 } from '../../../../../test/support/elf-bytes';
import { folderWith } from '../../../../../test/support/program';
import { forOtherMachines } from './other-machines';

const padded = (bytes: Uint8Array): Buffer => Buffer.concat([bytes, Buffer.alloc(2000)]);

it('programs for other processors and systems are told from those for the target, where it has any', async () => {
  const x86 = padded(makeElf({ machine: X86_64 }));
  const arm = padded(makeElf({ machine: ARM64 }));
  const mac = padded(Buffer.from('cffaedfe07000001030000000200000000000000000000000000000000000000', 'hex'));
  const files = { 'bin/x86/solve': x86, 'bin/arm/solve': arm, 'mac/solve': mac, README: padded(Buffer.from('text')) };
  const root = folderWith(files);
  const listed = Object.keys(files).map((path) => ({
    path,
    source: join(root, path),
    size: statSync(join(root, path)).size,
  }));
  expect([...(await forOtherMachines(listed, 'x86_64'))].sort()).toEqual(['bin/arm/solve', 'mac/solve']);
  expect([...(await forOtherMachines(listed, 'arm64'))].sort()).toEqual(['bin/x86/solve', 'mac/solve']);
  const without = listed.filter(({ path }) => path !== 'bin/arm/solve');
  expect([...(await forOtherMachines(without, 'arm64'))]).toEqual([]);
});
