// Python: the plain installation is that of pip.
import { spawnSync } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';

const CALL = `import sys, json, types
sys.path[0:0] = ["f", "site"]
import main
context = types.SimpleNamespace(name="f", run="r", deadline="", memory=0)
print("\\n@@" + json.dumps(main.handler({"data": {}}, context)))
`;

function write(folder, files) {
  for (const [path, text] of Object.entries(files)) {
    mkdirSync(dirname(join(folder, path)), { recursive: true });
    writeFileSync(join(folder, path), text);
  }
}

export const python = {
  forms: [{ trim: 'safe' }, { trim: 'traced' }],
  spec: ({ entry = 'handler', adapter, needs }) => ({
    runtime: 'python 3.11',
    entry: `main.py#${entry}`,
    ...(needs.length > 0 && { needs }),
    ...(adapter !== undefined && { adapter }),
  }),
  source(one, folder) {
    write(folder, { 'main.py': one.code, ...one.files });
  },
  settled: (answer) =>
    JSON.stringify(answer.status === undefined ? answer : { status: answer.status, body: answer.body }),
  plain({ code, files, needs, adapter, settings = {} }, folder) {
    if (adapter !== undefined) return { answer: JSON.stringify({ status: 200, body: 'tide' }) };
    write(join(folder, 'f'), { 'main.py': code, ...files });
    if (needs.length > 0) {
      const args = [
        '-m',
        'pip',
        'install',
        '--quiet',
        '--disable-pip-version-check',
        '--only-binary',
        ':all:',
        '--target',
        'site',
        ...needs,
      ];
      const { status, stderr } = spawnSync('python3', args, { cwd: folder, encoding: 'utf8' });
      if (status !== 0) return { error: `pip: ${stderr}` };
    }
    const env = {
      PATH: process.env.PATH,
      HOME: folder,
      ...Object.fromEntries(Object.entries(settings).map(([k, v]) => [k, v.sample])),
    };
    const { stdout, stderr } = spawnSync('python3', ['-c', CALL], { cwd: folder, encoding: 'utf8', env });
    const at = stdout.lastIndexOf('\n@@');
    return at < 0 ? { error: stderr.slice(-1500) } : { answer: JSON.stringify(JSON.parse(stdout.slice(at + 3))) };
  },
};
