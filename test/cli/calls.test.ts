/** How a destination calls: shapes of requests, events as data, names in the context. */
import { spawn } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { ASGI, harbour, PAGE, SHAPES, tried, WSGI } from '../support/calls';
import { itWithJava } from '../support/jvm';
import { findingsOf } from '../support/npm';
import { environment, PROGRAM, run } from '../support/program';

const REQUEST = JSON.stringify({
  call: { verb: 'PUT', path: '/tides/h%C3%B8y', query: { x: ['1', '2'] } },
  heads: { 'X-A': 'b' },
  cookies: ['c=1', 'd=2'],
  payload: '/wA=',
  encoded: true,
});
describe('a web application gets requests in the shape of its destination', () => {
  const root = harbour(
    {
      node: { source: 'node', runtime: 'node 20', entry: 'page.mjs#default', artifact: 'zip', adapter: 'http' },
      wsgi: {
        source: 'wsgi',
        runtime: 'python 3.11',
        entry: 'page.py#page',
        artifact: 'zip',
        adapter: { kind: 'wsgi', shape: 'gateway' },
      },
      asgi: { source: 'asgi', runtime: 'python 3.11', entry: 'page.py#page', artifact: 'zip', adapter: 'asgi' },
    },
    `  event: data\n${SHAPES}`,
    {
      'node/page.mjs': PAGE,
      'wsgi/page.py': WSGI,
      'asgi/page.py': ASGI,
      'put.json': REQUEST,
      'plain.json': '{"level":4}',
      'get.json': '{"call":{"verb":"GET","path":"/"}}',
    },
  );
  beforeAll(() => expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' }));

  it.each([
    ['node', 'PUT /tides/h%C3%B8y?x=1&x=2 c=1; d=2 b'],
    ['wsgi', 'PUT /tides/høy x=1&x=2 c=1; d=2 b'],
    ['asgi', 'PUT /tides/høy x=1&x=2 c=1; d=2 b'],
  ])('%s', (name, said) => {
    const { status, answers } = tried(root, name, 'put.json');
    const [answer] = answers as [{ heads: Record<string, string> }];
    expect([status, answer]).toEqual([
      0,
      {
        by: 'harbour',
        code: 201,
        cookies: ['a=1', 'b=2'],
        heads: expect.objectContaining({}) as object,
        encoded: true,
        payload: '/wA=',
      },
    ]);
    expect(Buffer.from(answer.heads['x-said'] ?? '', 'latin1').toString()).toBe(said);
  });

  it('tells of an event that is none, and of an answer that is a failure, in that shape', () => {
    const { stderr, stdout } = run(root, ['try', 'node', '--event', 'plain.json']);
    expect(stderr).toContain('expected  a web request, with `/call/verb` and `/call/path`');
    expect(stderr).toContain('"payload": "{\\"level\\":4}"');
    expect(stdout).toContain('the event is no web request: there is nothing at /call/verb or /call/path');
    expect(tried(root, 'node', 'get.json')).toMatchObject({ status: 1, kinds: ['status'] });
    const made = run(root, ['event', 'node', '--json']).stdout;
    const { kind, shape } = JSON.parse(made) as Record<string, unknown>;
    // As `> made.json` keeps it: what to do next is told beside.
    const kept = run(root, ['event', 'node']);
    expect(kept.stderr).toContain('Next, to call the function with it');
    writeFileSync(join(root, 'made.json'), kept.stdout);
    expect([kind, shape, run(root, ['try', 'node', '--event', 'made.json']).stderr]).toEqual([
      'request',
      'gateway',
      '',
    ]);
  });

  it('serves them to any client', async () => {
    const child = spawn(process.execPath, [PROGRAM, 'try', 'wsgi', '--serve'], {
      cwd: root,
      env: environment(root),
      stdio: ['ignore', 'pipe', 'ignore'],
    });
    const url = await new Promise<string>((resolve) => {
      createInterface({ input: child.stdout }).on('line', (line) => {
        const [found] = /http:\S+/.exec(line) ?? [];
        if (found !== undefined) resolve(found);
      });
    });
    const body = Buffer.from([0xff, 0x00]);
    const answer = await fetch(`${url}a%20b?x=1`, { method: 'POST', headers: { cookie: 'c=1', 'x-a': 'b' }, body });
    expect([answer.status, answer.headers.getSetCookie(), answer.headers.get('x-said')]).toEqual([
      201,
      ['a=1', 'b=2'],
      'POST /a b x=1 c=1 b',
    ]);
    expect(Buffer.from(await answer.arrayBuffer())).toEqual(body);
    child.kill('SIGINT');
  });
});

it('functions get data alone, and a context by the names of their host, in every language', () => {
  const spec = { artifact: 'zip' };
  const root = harbour(
    {
      node: { ...spec, source: 'src', runtime: 'node 20', entry: 'horn.mjs#sound' },
      python: { ...spec, source: 'src', runtime: 'python 3.11', entry: 'horn.py#sound' },
    },
    '  event: data\n  context: { run: requestId, log: say, name: called }\n',
    {
      'src/horn.mjs':
        'export const sound = (event, context) => { context.say("tide", event); return [event.level, context.requestId, context.called]; };\n',
      'src/horn.py':
        'def sound(event, context):\n    context.say("tide", event)\n    return [event["level"], context.requestId, context.called]\n',
      'e.json': '{"level":4}',
    },
  );
  expect(run(root, ['build']).status).toBe(0);
  for (const name of ['node', 'python']) {
    expect(tried(root, name, 'e.json').answers).toEqual([[4, 'run-1', name]]);
    expect(run(root, ['try', name, '--event', 'e.json']).stdout).toMatch(/log {5}tide \{.?.?level/);
  }
});

describe('check and try tell of events of another shape', () => {
  const code = 'export const sound = ({ data: { level } }) => level.toFixed(1);\n';
  const python = 'def sound(event, context):\n    return event["Records"][0]\n';
  const root = harbour(
    {
      node: { source: 'n', runtime: 'node 20', entry: 'horn.mjs#sound', artifact: 'zip', events: ['*.json'] },
      python: { source: 'p', runtime: 'python 3.11', entry: 'horn.py#sound', artifact: 'zip', events: ['right.json'] },
    },
    SHAPES,
    {
      'n/horn.mjs': code,
      'p/horn.py': python,
      'right.json': '{"level":4}',
      'wrong.json': '{"height":4}',
      'web.json': '{"method":"GET","path":"/"}',
      'broken.json': '{',
    },
  );

  it('with the event written right, and a guess beside a failure', () => {
    expect(run(root, ['build']).status).toBe(0);
    expect(findingsOf(root).filter((one) => one.includes('event/'))).toEqual([
      'warn event/shape broken.json',
      'warn event/shape web.json',
      'warn event/shape wrong.json',
    ]);
    expect(run(root, ['check', 'python']).stdout).toContain('expected  an event with `Records`, which the code reads');
    const { stdout } = run(root, ['check', 'node']);
    expect(stdout).toContain('expected  data with `level`, which the code reads');
    expect(stdout).toContain('{"level":null}');
    const failed = run(root, ['try', 'python', '--event', 'right.json']);
    expect(failed.stdout).toContain('perhaps   the event is not what the function takes: an event with `Records`');
    expect(JSON.parse(run(root, ['event', 'node', '--json']).stdout)).toMatchObject({
      event: { data: { level: null } },
    });
  });

  itWithJava('for typed parameters by their fields', () => {
    const own = harbour(
      { jvm: { source: 'j', runtime: 'java 17', entry: 'tide.Horn#sound', artifact: 'jar', events: ['*.json'] } },
      '  event: data\n',
      {
        'j/tide/Horn.java':
          'package tide;\npublic class Horn {\n  public record Level(int cm, String pier) {}\n  public static int sound(Level level) { return level.cm(); }\n}\n',
        'right.json': '{"cm":4}',
        'wrong.json': '{"height":4}',
      },
    );
    expect(run(own, ['build']).status).toBe(0);
    expect(findingsOf(own).filter((one) => one.includes('event/'))).toEqual(['warn event/shape wrong.json']);
  });
});

describe('a destination that says what cannot be', () => {
  const refused = (calls: string, adapter: unknown = 'http'): string => {
    const page = { source: 'src', runtime: 'node 20', entry: 'page.mjs#default', artifact: 'zip', adapter };
    return run(harbour({ page }, calls, { 'src/page.mjs': PAGE }), ['build']).stderr;
  };
  const shape = (request: string): string =>
    `  shapes:\n    gateway: { request: { ${request} }, response: { body: /b } }\n`;

  it.each([
    [shape('path: call/path'), 'a JSON Pointer such as `/call/path`'],
    [shape('path: /a~2'), 'a JSON Pointer such as `/call/path`'],
    [shape('path: /call, method: /call/verb'), 'a place of its own for each part'],
    [shape('path: /call, with: { /call: 1 }'), 'a place of its own for each part'],
    [shape('path: /p, with: { call: 1 }'), 'a JSON Pointer such as `/call/path`'],
    [shape('query: { at: /q, as: list }'), '`as` one of text, mapping, lists'],
    ['  native: grpc\n', '`lines` or `http`'],
    ['  context: { id: x }\n', 'one of `run`, `deadline`'],
    ['  concurrency: 0\n', 'a number above 0'],
    ['  health: ready\n', 'a path such as `/ready`'],
  ])('%j', (calls, message) => {
    expect(refused(calls)).toContain(message);
  });

  it('and a shape that nobody states, or none where there are several', () => {
    expect(refused(SHAPES, { kind: 'http', shape: 'gatway' })).toContain('did you mean `gateway`?');
    expect(refused('  event: data\n', { kind: 'http', shape: 'x' })).toContain('which states none');
    const two = `${SHAPES}    other: { request: { path: /p }, response: { body: /b } }\n`;
    expect(refused(two)).toContain('write `adapter: { kind: http, shape: gateway }`');
  });
});
