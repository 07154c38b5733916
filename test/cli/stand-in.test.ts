import { LEVELS, packageFiles, packageFolder, startTestIndex } from '../support/index';
import { folderWith, run } from '../support/program';

const offered = packageFolder(packageFiles('Levels', '1.0', { 'levels.py': LEVELS }, { python: '>=3.9' }), {
  'Levels-1.0/platform/arm64/fast.txt': 'arm',
  'Levels-1.0/platform/x86_64/fast.txt': 'x86',
});
const JSON_TYPE = 'application/vnd.pypi.simple.v1+json';

describe('the stand-in index', () => {
  it('serves a wheel for each architecture, in JSON and in HTML', async () => {
    const { url } = await startTestIndex(offered);
    const page = (await (await fetch(`${url}/levels/`, { headers: { accept: JSON_TYPE } })).json()) as {
      files: { filename: string; 'requires-python': string }[];
    };
    expect(page.files.map((file) => [file.filename, file['requires-python']])).toEqual([
      ['levels-1.0-py3-none-manylinux_2_17_x86_64.whl', '>=3.9'],
      ['levels-1.0-py3-none-manylinux_2_17_aarch64.whl', '>=3.9'],
    ]);
    const html = await fetch(`${url}/levels/`);
    expect([html.headers.get('content-type'), (await html.text()).match(/<a /g)?.length]).toEqual(['text/html', 2]);
    expect(((await (await fetch(`${url}/`)).json()) as { projects: unknown[] }).projects).toEqual([{ name: 'levels' }]);
    expect((await fetch(`${url}/nothing/`)).status).toBe(404);
  });

  it('answers with what has changed only, gives the ends of files, and their metadata', async () => {
    const { url } = await startTestIndex(offered);
    const etag = (await fetch(`${url}/levels/`)).headers.get('etag') ?? '';
    expect((await fetch(`${url}/levels/`, { headers: { 'if-none-match': etag } })).status).toBe(304);
    const file = `${url}/../files/levels-1.0-py3-none-manylinux_2_17_x86_64.whl`;
    const whole = Buffer.from(await (await fetch(file)).arrayBuffer());
    const tail = await fetch(file, { headers: { range: 'bytes=-22' } });
    expect([tail.status, Buffer.from(await tail.arrayBuffer()).equals(whole.subarray(-22))]).toEqual([206, true]);
    expect(await (await fetch(`${file}.metadata`)).text()).toContain('Requires-Python: >=3.9');
  });

  it('makes the same wheels each time', async () => {
    const digests = async (): Promise<unknown> => {
      const { url } = await startTestIndex(offered);
      return (
        (await (await fetch(`${url}/levels/`, { headers: { accept: JSON_TYPE } })).json()) as {
          files: { hashes: unknown }[];
        }
      ).files.map(({ hashes }) => hashes);
    };
    expect(await digests()).toEqual(await digests());
  });

  it.each([
    [['stand-in'], 2],
    [['stand-in', 'harbour', '.'], 2],
    [['stand-in', 'index', 'nowhere'], 2],
    [['stand-in', 'index', 'bad'], 2],
    [['stand-in', 'index', 'flat'], 2],
    [['stand-in', 'index', '.', '--misbehave', 'badly'], 2],
  ])('refuses what it cannot serve: %j', (args, expected) => {
    const root = folderWith({
      'bad/x/pyproject.toml': '[project]\nname = "x"\n',
      'flat/x/pyproject.toml': '[project]\nname = "x"\nversion = "1.0"\n',
    });
    const { status, stderr } = run(root, args);
    expect([status, stderr.startsWith('error while')]).toEqual([expected, true]);
  });

  it('says so when its port is taken', async () => {
    const { url } = await startTestIndex(offered);
    const { status, stderr } = run(folderWith({}), ['stand-in', 'index', offered, '--port', new URL(url).port]);
    expect([status, stderr.includes('another program has taken')]).toEqual([3, true]);
  });
});
