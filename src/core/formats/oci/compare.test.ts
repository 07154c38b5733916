import { layoutTar, type HandImage } from '../../../../test/support/images';
import { sourceOfBytes } from '../byte-source';
import { firstImageDifference } from './compare';

const GOOD: HandImage = {
  layers: [[{ name: 'a', data: 'one' }], [{ name: 'b/c', data: 'level 318', mode: 0o644 }]],
  config: { WorkingDir: '/w' },
};
const differ = (other: HandImage) =>
  firstImageDifference(sourceOfBytes(layoutTar([GOOD])), sourceOfBytes(layoutTar([other])));
const second = (entry: object): HandImage => ({
  ...GOOD,
  layers: [GOOD.layers[0] ?? [], [{ name: 'b/c', data: 'level 318', mode: 0o644, ...entry }]],
});

describe('the first difference of two images', () => {
  it('is none for the same', () => {
    expect(differ(GOOD)).toBeUndefined();
  });

  it.each<[string, HandImage, object]>([
    [
      'a byte of a file',
      second({ data: 'level 319' }),
      { entry: 'layer 2, b/c', field: 'byte 8', first: '0x38', second: '0x39' },
    ],
    ['a mode', second({ mode: 0o755 }), { entry: 'layer 2, b/c', field: 'mode', first: '0644', second: '0755' }],
    ['a time', second({ mtime: 60 }), { entry: 'layer 2, b/c', field: 'mtimeSeconds', first: '0', second: '60' }],
    ['a size', second({ data: 'level' }), { entry: 'layer 2, b/c', field: 'size', first: '9', second: '5' }],
    ['a name', second({ name: 'b/d' }), { field: 'entry name', first: 'b/c', second: 'b/d' }],
    ['a layer more', { ...GOOD, layers: [...GOOD.layers, []] }, { field: 'number of layers', first: '2', second: '3' }],
    ['the configuration', { ...GOOD, config: { WorkingDir: '/x' } }, { entry: 'configuration', field: 'run' }],
  ])('is told: %s', (_what, other, expected) => {
    expect(differ(other)).toMatchObject(expected);
  });
});
