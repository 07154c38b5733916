import { spawn, type ChildProcess } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { answerOf, nodeProject } from '../support/npm';
import { environment, PROGRAM, put, run, type Files } from '../support/program';

const running: ChildProcess[] = [];
afterAll(() => running.splice(0).forEach((child) => child.kill('SIGKILL')));

interface Served {
  readonly url: string;
  /** All that was printed so far. */
  readonly said: () => string;
  readonly stop: () => Promise<number | null>;
}

async function serve(root: string, args: readonly string[]): Promise<Served> {
  const child = spawn(process.execPath, [PROGRAM, 'try', 'alert', ...args], {
    cwd: root,
    env: environment(root),
  });
  running.push(child);
  let said = '';
  child.stdout.on('data', (bytes: Buffer) => (said += bytes.toString('utf8')));
  child.stderr.on('data', (bytes: Buffer) => (said += bytes.toString('utf8')));
  await until(() => / at http:\S+\n/.test(said) || child.exitCode !== null);
  return {
    url: / at (http:\S+)/.exec(said)?.[1] ?? '',
    said: () => said,
    stop: () =>
      new Promise((resolve) => {
        child.once('exit', resolve);
        child.kill('SIGINT');
      }),
  };
}

async function until(holds: () => boolean): Promise<void> {
  for (let i = 0; i < 600 && !holds(); i++) await new Promise((resolve) => setTimeout(resolve, 25));
  if (!holds()) throw new Error('it never came to that');
}

const ECHO = 'export const decide = (event) => ({ data: event.data, type: event.type, id: event.id });\n';

describe('try --serve', () => {
  it('takes plain data, CloudEvents of both forms, and refuses what is none', async () => {
    const root = nodeProject({ 'alert.mjs': ECHO });
    run(root, ['build']);
    const { url, said, stop } = await serve(root, ['--serve']);
    const post = async (body: string, headers: Record<string, string> = {}): Promise<unknown> => {
      const answer = await fetch(url, { method: 'POST', body, headers });
      return [answer.status, await answer.json()];
    };
    expect(await post('{"a": 1}', { 'content-type': 'application/x-www-form-urlencoded' })).toMatchObject([
      200,
      { data: { a: 1 }, type: 'emballage.try' },
    ]);
    expect(await post('plain text')).toMatchObject([200, { data: 'plain text' }]);
    const event = { specversion: '1.0', id: '7', source: '/pier', type: 'fernhaven.level', data: 5 };
    const structured = { 'content-type': 'application/cloudevents+json' };
    expect(await post(JSON.stringify(event), structured)).toEqual([200, { data: 5, type: 'fernhaven.level', id: '7' }]);
    const binary = {
      'content-type': 'application/json',
      'ce-specversion': '1.0',
      'ce-id': '8',
      'ce-source': '/pier',
      'ce-type': 'fernhaven.tide',
    };
    expect(await post('{"b":2}', binary)).toEqual([200, { data: { b: 2 }, type: 'fernhaven.tide', id: '8' }]);
    expect(await post('{"b":', { 'content-type': 'application/json' })).toMatchObject([
      400,
      { error: 'the request is no event' },
    ]);
    expect(await post(JSON.stringify({ ...event, id: '' }), structured)).toMatchObject([400, {}]);
    expect(await (await fetch(`${url}levels?station=pier`)).json()).toMatchObject({ data: { station: 'pier' } });
    await until(() => said().includes('200  GET /levels?station=pier'));
    expect(await stop()).toBe(0);
  });

  it('tells errors of the function, and calls it again', async () => {
    const root = nodeProject({
      'alert.mjs':
        "let calls = 0;\nexport const decide = (event) => {\n  if (event.data === 'throw') throw new RangeError('too high');\n  return (calls += 1);\n};\n",
    });
    run(root, ['build']);
    const { url, said, stop } = await serve(root, ['--serve']);
    const call = async (body: string): Promise<unknown> => {
      const answer = await fetch(url, { method: 'POST', body });
      return [answer.status, await answer.json()];
    };
    expect([await call('x'), await call('y')]).toEqual([
      [200, 1],
      [200, 2],
    ]);
    expect(await call('throw')).toEqual([500, { error: 'RangeError', message: 'too high' }]);
    await until(() => said().includes('RangeError: too high'));
    expect(await call('z')).toEqual([200, 1]);
    await stop();
  });

  it('says when its port is taken', async () => {
    const root = nodeProject({ 'alert.mjs': ECHO });
    run(root, ['build']);
    const other = createServer().listen(0, '127.0.0.1');
    await new Promise((resolve) => other.once('listening', resolve));
    const { port } = other.address() as AddressInfo;
    const { status, stderr } = run(root, ['try', 'alert', '--serve', '--port', String(port)]);
    other.close();
    expect([status, stderr.includes('one that another program has taken')]).toEqual([3, true]);
    expect(run(root, ['try', 'alert', '--serve', '--port', '70000']).status).toBe(2);
  });
});

describe('try --watch', () => {
  it('builds and loads again on a change, tells what it did to the size, and survives mistakes', async () => {
    const root = nodeProject(
      {
        'alert.ts': "import { word } from './lib/word.js';\nexport const decide = (): string => word;\n",
        'lib/word.ts': "export const word: string = 'one';\n",
      },
      { entry: 'alert.ts#decide', trim: 'traced' },
    );
    const { url, said, stop } = await serve(root, ['--watch']);
    const call = async (): Promise<unknown> => (await fetch(url, { method: 'POST', body: '1' })).json();
    expect(await call()).toBe('one');
    const write = (text: string): void => writeFileSync(join(root, 'src/lib/word.ts'), text);
    write("export const word: string = 'another';\n");
    await until(() => said().includes('loaded again'));
    expect(await call()).toBe('another');
    expect(said()).toMatch(/loaded again\s+\S+ \S+ \(\+\d+ B\) in \d+ ms\n\s+lib\/word\.mjs\s+\+4 B/);
    write('export const word: = 1;\n');
    await until(() => said().includes('src/lib/word.ts:1:20'));
    expect(await call()).toBe('another');
    put(root, { 'src/lib/deep/new.ts': "export const fresh: string = 'fresh';\n" });
    write("export { fresh as word } from './deep/new.js';\n");
    await until(() => said().split('loaded again').length > 2);
    expect(await call()).toBe('fresh');
    put(root, { 'src/lib/deep/new.ts': "export const fresh: string = 'fresher';\n" });
    await until(() => said().split('loaded again').length > 3);
    expect(await call()).toBe('fresher');
    expect(await stop()).toBe(0);
  });
});

describe('adapter: http', () => {
  const EVENT = {
    method: 'POST',
    path: '/levels',
    query: 'a=1',
    headers: { 'content-type': 'text/plain', Cookie: 'x=1' },
    body: 'high',
  };
  const HANDLER =
    "let body = '';\n  for await (const chunk of request) body += chunk;\n  response.writeHead(201, { 'x-seen': request.headers.cookie, 'set-cookie': ['a=1', 'b=2'] });\n  response.end(`${request.method} ${request.url} ${body}`);\n";
  const ANSWER = {
    status: 201,
    headers: { 'x-seen': 'x=1', 'set-cookie': ['a=1', 'b=2'] },
    body: 'POST /levels?a=1 high',
  };

  it.each<[string, Files, object]>([
    ['a request handler', { 'alert.mjs': `export async function decide(request, response) {\n  ${HANDLER}}\n` }, {}],
    [
      'a server',
      {
        'alert.mjs': `import { createServer } from 'node:http';\nexport const decide = createServer(async (request, response) => {\n  ${HANDLER}});\n`,
      },
      {},
    ],
    [
      'an application that listens by itself',
      {
        'alert.cjs': `const http = require('http');\nhttp.createServer(async (request, response) => {\n  ${HANDLER}}).listen(process.env.PORT, () => { globalThis.told = true; });\nexports.decide = null;\n`,
      },
      { entry: 'alert.cjs#decide', settings: { PORT: { sample: '80' } } },
    ],
    [
      'an application with a method that listens',
      {
        'alert.ts': `import { createServer } from 'node:http';\nclass Pages { listen(options: object) { return createServer(async (request, response) => {\n  ${HANDLER}}).listen(options); } }\nexport const decide = new Pages();\n`,
      },
      { entry: 'alert.ts#decide', link: true },
    ],
  ])('calls %s with a request that comes as an event', (_name, source, keys) => {
    const root = nodeProject(source, { adapter: 'http', ...keys }, { 'event.json': JSON.stringify(EVENT) });
    expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
    expect(answerOf(root)).toMatchObject(ANSWER);
  });

  it('gives bodies that are no text in base64, and takes them so', () => {
    const root = nodeProject(
      { 'alert.mjs': 'export const decide = (request, response) => request.pipe(response);\n' },
      { adapter: 'http' },
      { 'event.json': JSON.stringify({ method: 'PUT', path: '/', 'body-base64': 'AP8=' }) },
    );
    run(root, ['build']);
    expect(answerOf(root)).toMatchObject({ status: 200, 'body-base64': 'AP8=' });
  });

  it.each([
    [500, 1, 'status 500: the page is gone', 'failed'],
    [404, 0, 'status  404: it refuses the request', 'answered'],
  ])('is told of a response with status %i', (code, status, text, verdict) => {
    const source = `export const decide = (request, response) => { response.statusCode = ${String(code)}; response.end('the page is gone'); };\n`;
    const root = nodeProject(
      { 'alert.mjs': source },
      { adapter: 'http', events: ['event.json'] },
      { 'event.json': '{"method":"GET","path":"/"}' },
    );
    run(root, ['build']);
    const outcome = run(root, ['try']);
    expect(outcome.status).toBe(status);
    for (const part of [text, `  ${verdict}  event.json`]) expect(outcome.stdout).toContain(part);
  });

  it('is served as what it is', async () => {
    const root = nodeProject(
      {
        'alert.mjs':
          "export const decide = (request, response) => response.setHeader('x-path', request.url).end('page');\n",
      },
      { adapter: 'http' },
    );
    run(root, ['build']);
    const { url, stop } = await serve(root, ['--serve']);
    const answer = await fetch(`${url}gauges/pier?day=4`);
    expect([answer.status, answer.headers.get('x-path'), await answer.text()]).toEqual([
      200,
      '/gauges/pier?day=4',
      'page',
    ]);
    await stop();
  });

  it('is only for the language it is for, as other keys are', () => {
    const root = nodeProject(
      { 'alert.mjs': ECHO },
      { adapter: 'wsgi', bytecode: true, minify: true, needs: ['levels'] },
    );
    const { status, stderr } = run(root, ['build']);
    expect(status).toBe(2);
    for (const part of [
      '`http`',
      'it only for Python functions',
      '`link: true` beside it',
      '`yarn.lock` or `pnpm-lock.yaml`, or `node_modules`',
    ])
      expect(stderr).toContain(part);
  });
});
