import { spawnSync } from 'node:child_process';
import { linkSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { folderWith } from '../../../../../test/support/program';
import { makeTar } from '../../../../../test/support/tar-bytes';
import { rootEntries, rootSignature } from './base-root';

const entriesOf = async (path: string): Promise<string[]> => {
  const entries = await rootEntries({ path, shown: 'root', scratch: folderWith({}) });
  return entries.map((one) => {
    const content =
      one.kind === 'file' ? Buffer.concat([...one.content()].map((piece) => Buffer.from(piece))).toString() : '';
    const to = 'target' in one ? ` -> ${one.target}` : '';
    return `${one.kind} ${one.mode.toString(8)} ${String(one.uid ?? 0)} ${one.path}${to} ${content}`.trim();
  });
};

describe('a root file system', () => {
  it('comes in order, several names of one file as hard links, devices and sockets left out', async () => {
    const root = folderWith({ 'a/z': 'shared', 'a-b': 'x', 'dev/.keep': '' });
    linkSync(join(root, 'a/z'), join(root, 'a!twin'));
    symlinkSync('/etc/a', join(root, 'l'));
    spawnSync('mkfifo', [join(root, 'dev/pipe')]);
    spawnSync('chmod', ['1777', join(root, 'a')]);
    expect(await entriesOf(root)).toEqual([
      'folder 1777 0 a',
      'file 644 0 a!twin shared',
      'file 644 0 a-b x',
      'hard-link 644 0 a/z -> a!twin',
      'folder 755 0 dev',
      'file 644 0 dev/.keep',
      'link 777 0 l -> /etc/a',
    ]);
  });

  it('is the same from an archive, plain or compressed, with its owners and whiteouts', async () => {
    const bytes = makeTar([
      { name: './b', data: 'b' },
      { name: './a/', type: '5', mode: 0o700 },
      { name: './a/h', type: '1', link: './b' },
      { name: './dev/null', type: '3' },
      { name: './b', data: 'later' },
    ]);
    const expected = ['folder 700 0 a', 'file 644 0 a/h b', 'file 644 0 b later', 'folder 755 0 dev'];
    const root = folderWith({ 'root.tar': bytes, 'root.tgz': gzipSync(bytes) });
    expect(await entriesOf(join(root, 'root.tar'))).toEqual(expected);
    expect(await entriesOf(join(root, 'root.tgz'))).toEqual(expected);
  });

  it('is seen to change, and stands for one that lies elsewhere when it is empty', () => {
    const root = folderWith({ 'etc/hosts': 'a' });
    const before = rootSignature(root);
    expect(rootSignature(root)).toBe(before);
    writeFileSync(join(root, 'etc/hosts'), 'b2');
    expect(rootSignature(root)).not.toBe(before);
    expect([rootSignature(folderWith({})), rootSignature(join(root, 'nowhere'))]).toEqual(['', '']);
    writeFileSync(join(root, 'empty.tar'), '');
    expect(rootSignature(join(root, 'empty.tar'))).toBe('');
  });
});
