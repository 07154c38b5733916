import { chmodSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { folderWith } from '../../../../../test/support/program';
import { chooseNode, findNodeRuntimes, type NodeRuntime } from './runtimes';

const node = (major: number): NodeRuntime => ({ path: `/n${String(major)}`, version: `${String(major)}.1.0`, major });

describe('the Node.js programs on a machine', () => {
  it.each([
    [[18, 20, 22], 20, 20],
    [[18, 22, 24], 20, 22],
    [[16, 18], 20, 18],
  ])('among %j for %s give %s', (majors, wanted, chosen) => {
    expect(chooseNode(majors.map(node), wanted)?.major).toBe(chosen);
  });

  it('are found on the search path, once each, and only those that start', async () => {
    const script = (text: string) => (path: string) => {
      writeFileSync(path, `#!/bin/sh\n${text}\n`);
      chmodSync(path, 0o755);
    };
    const folder = folderWith({
      'a/node22': script('echo v22.3.4'),
      'a/node': script('exit 1'),
      'a/node-gyp': script('echo v1.1.1'),
      'b/nodejs': script('echo v18.0.1'),
      'b/node20': 'no program',
    });
    symlinkSync(join(folder, 'a/node22'), join(folder, 'b/node'));
    const own = { path: process.execPath, version: '20.0.0', major: 20 };
    const found = await findNodeRuntimes(own, `${folder}/a::${folder}/b:${folder}/gone`);
    expect(found.map(({ version }) => version)).toEqual(['22.3.4', '20.0.0', '18.0.1']);
  });
});
