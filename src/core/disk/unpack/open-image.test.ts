import { lstatSync, readdirSync, readFileSync, readlinkSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { codeFrom } from '../../../../test/support/data';
import { layoutFolder, layoutTar, makeImage, sha256, type HandImage } from '../../../../test/support/images';
import { folderWith } from '../../../../test/support/program';
import { makeTar } from '../../../../test/support/tar-bytes';
import { manifestsOf, readDocuments } from '../../formats/oci';
import { openLayout } from './layout-files';
import { openImage, type OpenImage } from './open-image';
import { unpackImage } from './unpack-image';

const open = async (layout: Buffer): Promise<OpenImage> => {
  const root = folderWith({ 'image.oci.tar': layout });
  const opened = await openLayout(join(root, 'image.oci.tar'), 'image.oci.tar');
  const [found] = manifestsOf(opened, opened.index);
  if (found === undefined) throw new Error('no image');
  return openImage(opened, readDocuments(opened, found), join(root, 'layers'));
};
const PLAIN: HandImage = {
  layers: [
    [
      { name: 'bin/', type: '5', mode: 0o755 },
      { name: 'bin/su', data: 'su', mode: 0o4755 },
      { name: 'etc/hosts', data: 'lower' },
    ],
    [
      { name: 'etc/hosts', data: 'upper' },
      { name: 'etc/link', type: '2', link: '/bin/su' },
      { name: 'bin/twin', type: '1', link: 'bin/su' },
    ],
  ],
};

describe('an image', () => {
  it('is the same from a folder and from a tar archive', async () => {
    const folder = join(folderWith({}), 'layout');
    layoutFolder(folder, [PLAIN]);
    const layout = await openLayout(folder, 'layout');
    expect(manifestsOf(layout, layout.index)[0]?.descriptor.digest).toBe(makeImage(PLAIN).manifest.digest);
    const image = await open(layoutTar([PLAIN]));
    const hosts = image.tree.node('etc/hosts');
    expect(hosts && image.read(hosts, 0, hosts.head.size).toString()).toBe('upper');
    image.close();
  });

  it('is unpacked as its layers say, without the rights of owners', async () => {
    const image = await open(layoutTar([PLAIN]));
    const folder = folderWith({});
    unpackImage(image, { folder, owners: false });
    image.close();
    expect(readFileSync(join(folder, 'etc/hosts'), 'utf8')).toBe('upper');
    expect(readlinkSync(join(folder, 'etc/link'))).toBe('/bin/su');
    expect(statSync(join(folder, 'bin/su')).mode & 0o7777).toBe(0o755);
    expect(statSync(join(folder, 'bin/twin')).ino).toBe(statSync(join(folder, 'bin/su')).ino);
  });

  it('writes nothing through links that lead away', async () => {
    const away = folderWith({});
    const image = await open(
      layoutTar([
        {
          layers: [
            [{ name: 'l', type: '2', link: away }],
            [{ name: 'l/f', data: 'x' }],
            [
              { name: 'up', type: '2', link: '../../..' },
              { name: 'up/g', data: 'y' },
            ],
          ],
        },
      ]),
    );
    const folder = folderWith({});
    unpackImage(image, { folder, owners: false });
    image.close();
    expect(() => lstatSync(join(away, 'f'))).toThrow('ENOENT');
    expect(readFileSync(join(folder, 'l/f'), 'utf8')).toBe('x');
  });

  it('leaves devices and pipes out, which hosts bring themselves', async () => {
    const nodes = [
      { name: 'dev/sda', type: '4' },
      { name: 'dev/pipe', type: '6' },
      { name: 'dev/note', data: 'x' },
    ];
    const image = await open(layoutTar([{ layers: [nodes] }]));
    const folder = folderWith({});
    unpackImage(image, { folder, owners: false });
    image.close();
    expect(readdirSync(join(folder, 'dev'))).toEqual(['note']);
  });

  const [hex = ''] = [makeImage(PLAIN).layers[0]?.digest.slice(7)];
  const without = (change: (blobs: Map<string, Buffer>) => void): Buffer => layoutTar([PLAIN], change);
  it.each([
    ['a blob that is missing', without((blobs) => void blobs.delete(hex))],
    [
      'a blob of another length',
      without((blobs) => void blobs.set(hex, Buffer.concat([blobs.get(hex) ?? Buffer.alloc(0), Buffer.alloc(1)]))),
    ],
    [
      'a blob of other content',
      without((blobs) => void blobs.set(hex, Buffer.alloc(blobs.get(hex)?.length ?? 0, 'x'))),
    ],
    [
      'a layer that unpacks to something else',
      layoutTar([{ ...PLAIN, diffIds: [`sha256:${'0'.repeat(64)}`, `sha256:${'1'.repeat(64)}`] }]),
    ],
    ['fewer layers in its configuration', layoutTar([{ ...PLAIN, diffIds: [] }])],
    [
      'layers of a kind that is not read',
      layoutTar([{ ...PLAIN, layerType: 'application/vnd.oci.image.layer.v1.tar+zstd' }]),
    ],
    ['a layer that leaves its root', layoutTar([{ layers: [[{ name: '../x', data: 'x' }]] }])],
    ['a layer that is no archive', layoutTar([{ layers: [Buffer.alloc(700, 'x')] }])],
    ['no layout in it', makeTar([{ name: 'a', data: 'b' }])],
    [
      'a layout of another version',
      makeTar([
        { name: 'oci-layout', data: '{"imageLayoutVersion":"2.0.0"}' },
        { name: 'index.json', data: '{}' },
      ]),
    ],
  ])('is refused with %s', async (_what, layout) => {
    expect(await codeFrom(open(layout))).toMatch(/^(IMAGE_INVALID|PACKAGE_INVALID)$/);
  });

  it('is refused with a layer that unpacks to gigabytes of zeros', async () => {
    const zeros = gzipSync(Buffer.alloc(64 * 1024 * 1024), { level: 9 });
    // Members of one gzip file follow each other (RFC 1952 2.2).
    const layer = Buffer.concat(Array.from({ length: 40 }, () => zeros));
    const image = makeImage({ layers: [[]] });
    const layout = layoutTar([{ layers: [[]] }], (blobs) => {
      const old = image.layers[0]?.digest.slice(7) ?? '';
      blobs.delete(old);
      blobs.set(sha256(layer), layer);
      for (const [key, bytes] of [...blobs]) {
        const text = bytes
          .toString()
          .replaceAll(old, sha256(layer))
          .replace(/"size":\d+\}\]/, `"size":${String(layer.length)}}]`);
        if (!text.includes('"layers":[')) continue;
        blobs.delete(key);
        blobs.set(sha256(Buffer.from(text)), Buffer.from(text));
      }
    });
    const manifest = [...listedBlobs(layout)].find(([, bytes]) => bytes.toString().includes('"layers":[')) ?? [
      '',
      Buffer.alloc(0),
    ];
    const index = {
      schemaVersion: 2,
      manifests: [
        {
          mediaType: 'application/vnd.oci.image.manifest.v1+json',
          digest: `sha256:${manifest[0]}`,
          size: manifest[1].length,
        },
      ],
    };
    const tar = makeTar([
      { name: 'oci-layout', data: '{"imageLayoutVersion":"1.0.0"}' },
      { name: 'index.json', data: JSON.stringify(index) },
      ...[...listedBlobs(layout)].map(([name, data]) => ({ name: `blobs/sha256/${name}`, data })),
    ]);
    await expect(open(tar)).rejects.toMatchObject({ facts: { found: 'more than that' } });
  }, 120_000);
});

function listedBlobs(layout: Buffer): Map<string, Buffer> {
  const blobs = new Map<string, Buffer>();
  for (let at = 0; at + 512 <= layout.length;) {
    const name = layout.toString('latin1', at, at + 100).replace(/\0.*$/s, '');
    if (name === '') break;
    const size = parseInt(layout.toString('latin1', at + 124, at + 135), 8);
    if (name.startsWith('blobs/'))
      blobs.set(name.slice('blobs/sha256/'.length), layout.subarray(at + 512, at + 512 + size));
    at += 512 + Math.ceil(size / 512) * 512;
  }
  return blobs;
}
