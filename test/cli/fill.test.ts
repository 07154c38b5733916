import { mkdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { ARTIFACT, digestOf, harbour, place, refusal, send } from '../support/harbour';
import { put, run } from '../support/program';

const TEMPLATE = `# the team's
horn:
  digest: none   # which bytes
  entry: none
  memory: 0
`;

/** A project with templates, and what is filled into them. */
function filling(fill: readonly object[]): string {
  const root = harbour({ deliver: { folder: '.' }, link: 'https://harbour.example/new?from={location}&sha={sha256}' });
  const sheet = JSON.parse(readFileSync(join(root, 'emballage.yaml'), 'utf8')) as object;
  put(root, {
    'deploy/horn.yaml': TEMPLATE,
    'deploy/horn.json': '{ "names": "" }\n',
    'README.md': 'See <!-- fill link -->nothing<!-- end -->.\n',
    'emballage.yaml': JSON.stringify({ ...sheet, fill }),
  });
  return root;
}

const read = (root: string, file: string): string => readFileSync(join(root, file), 'utf8');

describe('fill', () => {
  it('writes what was sent into templates, in place, and tells which are stale', () => {
    const root = filling([
      { file: 'deploy/horn.yaml', at: '/horn/digest', value: 'sha256:{horn.x86_64.sha256}' },
      { file: 'deploy/horn.yaml', at: '/horn/entry', value: '{horn.entry}' },
      { file: 'deploy/horn.yaml', at: '/horn/memory', value: '{horn.memory}' },
      { file: 'deploy/horn.json', at: '/names', value: '{horn.settings} on {horn.runtime}' },
      { file: 'README.md', at: 'link', value: '{horn.link}' },
    ]);
    expect(refusal(root, ['fill'])).toContain('a delivery of horn at trial');
    expect(read(root, 'deploy/horn.yaml')).toBe(TEMPLATE);
    send(root);
    expect(run(root, ['fill', '--check'])).toMatchObject({ status: 1, stderr: '' });
    expect(read(root, 'deploy/horn.yaml')).toBe(TEMPLATE);
    expect(run(root, ['fill'])).toMatchObject({ status: 0, stderr: '' });
    const hex = digestOf(join(root, ARTIFACT));
    expect(read(root, 'deploy/horn.yaml')).toBe(
      TEMPLATE.replace('none   #', `sha256:${hex}   #`).replace('none', 'horn.mjs#sound').replace('0\n', '134217728\n'),
    );
    expect(read(root, 'deploy/horn.json')).toBe('{ "names": "PITCH,TOKEN,TONES on node 20" }\n');
    expect(read(root, 'README.md')).toContain(
      `https://harbour.example/new?from=horn%2F${hex}.zip&sha=${hex}<!-- end -->`,
    );
    expect(run(root, ['fill', '--check'])).toMatchObject({ status: 0 });
  });

  it.each([
    [{ file: 'deploy/horn.yaml', at: '/horn/digest', value: '{horm.sha256}' }, 'did you mean `{horn'],
    [{ file: 'deploy/horn.yaml', at: '/horn/digest', value: '{horn.sha265}' }, 'did you mean `{horn.sha256}`?'],
    [{ file: 'deploy/horn.yaml', at: '/horn/digets', value: 'x' }, '`digest`, `entry`, `memory` below `/horn`'],
    [{ file: 'deploy/horn.yaml', at: '/horn', value: 'x' }, 'a plain value at'],
    [{ file: 'deploy/gone.yaml', at: '/horn', value: 'x' }, 'make it, or correct `fill`'],
    [{ file: 'README.md', at: 'digest', value: 'x' }, 'marks `link`'],
    [{ file: 'README.md', at: 'link', value: '{horn.location}', destination: 'moon' }, 'one of trial, live'],
  ])('changes nothing where it cannot fill %j', (wrong, expected) => {
    const root = filling([{ file: 'deploy/horn.json', at: '/names', value: 'changed' }, wrong]);
    const said = refusal(root, ['fill']);
    expect(said).toContain(expected);
    expect(said).toMatch(/emballage\.yaml:1:\d+|deploy\/(?:horn\.yaml:\d+:\d+|gone\.yaml)/);
    expect(read(root, 'deploy/horn.json')).toBe('{ "names": "" }\n');
  });

  it('says that the sheet fills nothing', () => {
    const root = harbour({ deliver: { folder: '.' } });
    mkdirSync(join(root, 'deploy'));
    put(root, { 'live.yaml': place('live', {}) });
    expect(refusal(root, ['fill'])).toContain('add `fill:');
  });
});
