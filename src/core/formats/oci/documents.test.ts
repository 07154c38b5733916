import { codeOf } from '../../../../test/support/data';
import { readConfig, readIndex, readManifest, writeConfig } from './documents';
import { compressionOf, isIndexType, ociLayerType } from './media';
import { formatReference, parseReference, referenceFault, tagFault } from './reference';

const DIGEST = `sha256:${'a'.repeat(64)}`;
const bytes = (value: unknown): Buffer => Buffer.from(JSON.stringify(value));
const blob = { mediaType: 'application/vnd.oci.image.config.v1+json', digest: DIGEST, size: 2 };
const OLDER = 'application/vnd.docker';

describe('documents of images', () => {
  it('are read in the standard’s types and in those of before', () => {
    for (const mediaType of [undefined, `${OLDER}.distribution.manifest.v2+json`])
      expect(
        readManifest(bytes({ schemaVersion: 2, mediaType, config: blob, layers: [blob] }), 'm').layers,
      ).toHaveLength(1);
    expect(isIndexType(`${OLDER}.distribution.manifest.list.v2+json`)).toBe(true);
    const older = `${OLDER}.image.rootfs.diff.tar.gzip`;
    expect([compressionOf(older), ociLayerType(older)]).toEqual([
      'gzip',
      'application/vnd.oci.image.layer.v1.tar+gzip',
    ]);
    expect(compressionOf('application/vnd.oci.image.layer.v1.tar+zstd')).toBe('zstd');
  });

  it.each([
    ['no JSON', Buffer.from('{')],
    ['another version', bytes({ schemaVersion: 1, config: blob, layers: [] })],
    ['a digest that is none', bytes({ schemaVersion: 2, config: { ...blob, digest: 'sha256:x' }, layers: [] })],
    ['a negative size', bytes({ schemaVersion: 2, config: { ...blob, size: -1 }, layers: [] })],
    ['another type', bytes({ schemaVersion: 2, mediaType: 'text/plain', config: blob, layers: [] })],
    ['no layers', bytes({ schemaVersion: 2, config: blob })],
    ['far too many layers', bytes({ schemaVersion: 2, config: blob, layers: Array(2000).fill(blob) })],
  ])('are refused with %s', (_what, wrong) => {
    expect(codeOf(() => readManifest(wrong, 'm'))).toBe('IMAGE_INVALID');
  });

  it('refuse an index that is a manifest, and a configuration of another kind', () => {
    expect(codeOf(() => readIndex(bytes({ schemaVersion: 2, config: blob, layers: [] }), 'i'))).toBe('IMAGE_INVALID');
    const rootfs = { type: 'floppy', diff_ids: [] };
    expect(codeOf(() => readConfig(bytes({ architecture: 'amd64', os: 'linux', rootfs }), 'c'))).toBe('IMAGE_INVALID');
  });

  it('keep a configuration as it was, with nothing that says nothing', () => {
    const text = bytes({
      created: '1970-01-01T00:00:00Z',
      architecture: 'arm64',
      os: 'linux',
      config: { User: '1:1', ExposedPorts: { '80/tcp': {} }, Env: ['A=b'], WorkingDir: '/w', Labels: { a: 'b' } },
      rootfs: { type: 'layers', diff_ids: [DIGEST] },
      history: [{ created_by: 'x', empty_layer: true }],
    });
    expect(writeConfig(readConfig(text, 'c')).toString()).toBe(text.toString());
    const nulls = {
      architecture: 'arm64',
      os: 'linux',
      config: { Env: null, Cmd: null },
      rootfs: { type: 'layers', diff_ids: [] },
    };
    expect(readConfig(bytes(nulls), 'c').run.env).toEqual([]);
  });
});

describe('references', () => {
  it.each([
    ['harbour.example:5000/bases/python:3.11', { host: 'harbour.example:5000', name: 'bases/python', tag: '3.11' }],
    ['harbour.example/a', { host: 'harbour.example', name: 'a' }],
    [`127.0.0.1:1/a/b_c--d@${DIGEST}`, { host: '127.0.0.1:1', name: 'a/b_c--d', digest: DIGEST }],
    [`[::1]:5000/a:t@${DIGEST}`, { host: '[::1]:5000', name: 'a', tag: 't', digest: DIGEST }],
  ])('read %s and write it again', (text, parts) => {
    expect(parseReference(text, 'reading')).toEqual(parts);
    expect(formatReference(parts)).toBe(text);
  });

  it.each([
    'python',
    'h/A',
    'h/a//b',
    'h/a:',
    'h/a:-x',
    `h/a:${'x'.repeat(129)}`,
    'h/a@sha256:1',
    'h/a_-b',
    'h h/a',
    `h/${'a'.repeat(256)}`,
    'h/../a',
  ])('refuse %s, as the standard does', (text) => {
    expect(referenceFault(text)).toBeDefined();
    expect(codeOf(() => parseReference(text, 'reading'))).toBe('USAGE');
  });

  it('know tags', () => {
    expect([tagFault('1.4.0'), tagFault('_x'), tagFault('.x') === undefined, tagFault('a b') === undefined]).toEqual([
      undefined,
      undefined,
      false,
      false,
    ]);
  });
});
