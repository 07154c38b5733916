import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { makeZip } from '../../../../test/support/zip-bytes';
import { folderWith } from '../../../../test/support/program';
import type { FunctionSpec } from '../../sheet';
import { prove, type ProofLine } from './prove';
import type { Project } from '../../project/targets';
import { VARIATIONS, type Variation } from './variations';

const spec = { name: 'horn', form: 'zip', archs: ['arm64'], source: 'src', events: [] } as unknown as FunctionSpec;

function projectWith(zip: Buffer, waybill = '{}'): string {
  const root = folderWith({});
  const path = join(root, 'out/horn/arm64/horn.zip');
  mkdirSync(dirname(path), { recursive: true });
  writeFileSync(path, zip);
  writeFileSync(join(dirname(path), 'horn.waybill.json'), waybill);
  return root;
}

async function proveAgainst(a: Buffer, b: Buffer, waybill = '{}'): Promise<ProofLine[]> {
  const project = { root: projectWith(a), files: [], sheet: {} } as unknown as Project;
  const other = projectWith(b, waybill);
  const [first] = VARIATIONS as readonly [Variation];
  return prove(project, [spec], () => Promise.resolve(other), jest.fn(), [first]);
}

describe('a proof', () => {
  const zip = makeZip([
    { name: 'a', data: 'x' },
    { name: 'b', data: 'y' },
  ]);

  it('holds when the bytes are the same', async () => {
    expect((await proveAgainst(zip, Buffer.from(zip)))[0]?.differences).toEqual([]);
  });

  it.each<[string, Buffer, object]>([
    [
      'mode',
      makeZip([
        { name: 'a', data: 'x' },
        { name: 'b', data: 'y', mode: 0o100600 },
      ]),
      { entry: 'b', field: 'mode', first: '0644', second: '0600' },
    ],
    [
      'size',
      makeZip([
        { name: 'a', data: 'xx' },
        { name: 'b', data: 'y' },
      ]),
      { entry: 'a', field: 'size', first: '1 bytes', second: '2 bytes' },
    ],
    [
      'name',
      makeZip([
        { name: 'a', data: 'x' },
        { name: 'c', data: 'y' },
      ]),
      { field: 'entry name', first: 'b', second: 'c' },
    ],
    ['a missing entry', makeZip([{ name: 'a', data: 'x' }]), { field: 'entry name', first: 'b', second: '(none)' }],
    [
      'the comment',
      makeZip(
        [
          { name: 'a', data: 'x' },
          { name: 'b', data: 'y' },
        ],
        { comment: 'z' },
      ),
      { field: `byte ${String(zip.length - 2)}`, first: '0x00', second: '0x01' },
    ],
  ])('shows the first difference: %s', async (_name, other, detail) => {
    const [line] = await proveAgainst(zip, other);
    expect(line?.differences).toEqual([{ name: 'horn', arch: 'arm64', file: 'artifact', detail }]);
  });

  it('compares the waybills too', async () => {
    const [line] = await proveAgainst(zip, zip, '{ }');
    expect(line?.differences).toEqual([{ name: 'horn', arch: 'arm64', file: 'waybill' }]);
  });
});
