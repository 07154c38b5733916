import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import { folderWith, project, put, run } from '../support/program';

/** A project whose one function has this body, built. */
function built(
  body: string,
  keys: Readonly<Record<string, unknown>> = {},
  more: Readonly<Record<string, string>> = {},
): string {
  const root = project({ 'horn.mjs': body }, { timeout: '1 s', ...keys }, { 'event.json': '{ "blasts": 3 }', ...more });
  expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
  return root;
}

interface CallView {
  readonly event: string;
  readonly cold: boolean;
  readonly answer: {
    readonly kind: string;
    readonly json?: string;
    readonly failure?: Readonly<Record<string, unknown>>;
  };
  readonly log: { readonly lines: readonly string[]; readonly droppedBytes: number };
  readonly peakBytes: number;
}

function tried(root: string, args: readonly string[] = ['--event', 'event.json'], env: Record<string, string> = {}) {
  const { status, stdout, stderr } = run(root, ['try', 'horn', '--json', ...args], { env });
  return { status, stderr, calls: (JSON.parse(stdout) as { calls: CallView[] }).calls };
}

const sound = (body: string): string => `export async function sound(event, context) { ${body} }`;

describe('try', () => {
  it('calls the function from its artifact, not from the source', () => {
    const root = built(
      sound('return { blasts: event.data.blasts, type: event.type, ...context, deadline: typeof context.deadline };'),
    );
    put(root, { 'src/horn.mjs': 'throw new Error("this is the source");' });
    const { status, calls } = tried(root);
    expect([status, calls.length]).toEqual([0, 1]);
    expect(JSON.parse(calls[0]?.answer.json ?? '')).toEqual({
      blasts: 3,
      type: 'emballage.try',
      name: 'horn',
      run: 'run-1',
      memory: 128 << 20,
      deadline: 'string',
    });
  });

  it('gives it its declared settings and nothing else, in a read-only folder', () => {
    const body = `const fs = await import('node:fs');
      const tries = ['./new', './horn.mjs'].map((name) => { try { fs.writeFileSync(new URL(name, import.meta.url), 'x'); return 'written'; } catch (e) { return e.code; } });
      return { env: process.env, tries, cwd: process.cwd() !== new URL('.', import.meta.url).pathname };`;
    const root = built(sound(body), {
      settings: { LEVEL: { sample: '42' }, TOKEN: { secret: true }, OTHER: { secret: true } },
    });
    const { calls, stderr } = tried(root, undefined, { TOKEN: 'from here', UNRELATED: 'x' });
    expect(stderr).toContain('OTHER is a secret and not set here');
    expect(JSON.parse(calls[0]?.answer.json ?? '')).toEqual({
      env: { LEVEL: '42', TOKEN: 'from here' },
      tries: ['EROFS', 'EROFS'],
      cwd: true,
    });
  });

  it('keeps the process for later calls, and passes CloudEvents on as they are', () => {
    const event = { specversion: '1.0', id: '1', source: '/gauge', type: 'level', data: 5, zone: 'a' };
    const root = built(
      `let n = 0; export function sound(event) { console.log('call', ++n); return { n, event }; }`,
      { events: 'events/*.json' },
      { 'events/b.json': JSON.stringify(event), 'events/a.json': '7' },
    );
    const { calls } = tried(root, ['--repeat', '2']);
    expect(calls.map((call) => [call.event, call.cold, call.log.lines])).toEqual([
      ['events/a.json', true, ['call 1']],
      ['events/b.json', false, ['call 2']],
      ['events/a.json', false, ['call 3']],
      ['events/b.json', false, ['call 4']],
    ]);
    expect(JSON.parse(calls[1]?.answer.json ?? '')).toEqual({ n: 2, event });
    expect(calls[0]?.peakBytes).toBeGreaterThan(1 << 20);
  });

  it.each<[string, string, object]>([
    [
      'throws',
      sound('throw new TypeError("no water");'),
      {
        kind: 'threw',
        name: 'TypeError',
        message: 'no water',
        stack: expect.stringMatching(/at (Module\.)?sound \(horn\.mjs:1:/) as unknown,
      },
    ],
    ['throws something odd', sound('throw { toString() { return "odd"; } };'), { kind: 'threw', message: 'odd' }],
    ['does not load', 'import "./missing.mjs"; export function sound() {}', { kind: 'load-failed' }],
    ['is not there', 'export const other = 1;', { kind: 'no-member', members: ['other'] }],
    ['never answers', sound('await new Promise(() => {});'), { kind: 'hung', while: 'running', limitMs: 1000 }],
    ['never stops', sound('for (;;);'), { kind: 'hung', while: 'running' }],
    ['ends the process', sound('process.exit(7);'), { kind: 'exited', code: 7 }],
    [
      'kills the process',
      sound('process.kill(process.pid, "SIGSEGV"); await new Promise(() => {});'),
      { kind: 'killed', signal: 'SIGSEGV' },
    ],
    [
      'eats memory in its heap',
      sound('const all = []; for (;;) all.push(Array.from({ length: 1e5 }, Math.random));'),
      { kind: 'memory', limitBytes: 96 << 20 },
    ],
    [
      'eats memory outside its heap',
      sound('const all = []; for (;;) { all.push(Buffer.alloc(8 << 20, 1)); await null; }'),
      { kind: 'memory' },
    ],
    [
      'returns a number too big for JSON',
      sound('return { level: 10n };'),
      { kind: 'not-json', fault: '`level` is a bigint' },
    ],
    [
      'returns what JSON would lose',
      sound('return { gauges: [new Map()] };'),
      { kind: 'not-json', fault: expect.stringContaining('`gauges[0]` is a Map') as unknown },
    ],
    [
      'returns a ring',
      sound('const ring = {}; ring.self = ring; return ring;'),
      { kind: 'not-json', fault: '`self` contains itself' },
    ],
    [
      'writes where only the host writes',
      sound('(await import("node:fs")).writeSync(4, "garbage\\n"); return 1;'),
      { kind: 'garbled' },
    ],
    [
      'logs what is no text',
      sound('process.stdout.write(Buffer.from([0xff, 0xfe, 0])); return 1;'),
      { kind: 'garbled' },
    ],
  ])('reports a function that %s', (_name, body, failure) => {
    const root = built(body, { memory: '96 MiB' });
    const { status, calls } = tried(root);
    expect(status).toBe(1);
    expect(calls[0]?.answer).toMatchObject({ kind: 'failed', failure });
    expect(run(root, ['try', 'horn', '--event', 'event.json'])).toMatchObject({
      status: 1,
      stdout: expect.stringMatching(/expected .*\n.*found .*\n.*mend /) as unknown,
    });
  });

  it('takes no answer for nothing, and goes on after a call that failed', () => {
    const root = built(
      sound('if (event.data === "end") process.exit(1);'),
      { events: ['a.json', 'b.json', 'c.json'] },
      { 'a.json': '1', 'b.json': '"end"', 'c.json': '3' },
    );
    const { status, calls } = tried(root, []);
    expect([status, calls.map((call) => [call.answer.kind, call.cold])]).toEqual([
      1,
      [
        ['answered', true],
        ['failed', false],
        ['answered', true],
      ],
    ]);
  });

  it('keeps the beginning of an endless log', () => {
    const { status, calls } = tried(
      built(sound('for (let i = 0; i < 40000; i++) console.log("the water rises", i); return 1;')),
    );
    expect([status, calls[0]?.log.lines[0]]).toEqual([0, 'the water rises 0']);
    expect(calls[0]?.log.droppedBytes).toBeGreaterThan(100_000);
  });

  it('leaves nothing behind', () => {
    const temporary = folderWith({});
    const { calls } = tried(built(sound('return 1;')), undefined, { TMPDIR: temporary });
    expect([calls.length, readdirSync(temporary)]).toEqual([1, []]);
  });

  it.each<[string, readonly string[], string]>([
    ['an event that is no JSON', ['--event', 'bad.json'], 'bad.json:2:11'],
    ['an event that is cut off', ['--event', 'cut.json'], 'not finished'],
    ['an empty event', ['--event', 'empty.json'], 'holds nothing'],
    ['an event that is missing', ['--event', 'gone.json'], 'nothing there'],
    ['a CloudEvent without its type', ['--event', 'typeless.json'], 'the attribute `type`'],
    ['no event at all', [], 'the sheet names no `events`'],
    ['another architecture than was built', ['--event', 'event.json', '--arch', 'x86_64'], 'arm64'],
  ])('refuses %s', (_name, args, result) => {
    const events = {
      'bad.json': '{\n  "level" 318\n}',
      'cut.json': '{ "level":',
      'empty.json': '',
      'typeless.json': '{"specversion":"1.0","id":"1","source":"/g"}',
    };
    const root = built(sound('return 1;'), {}, events);
    expect(run(root, ['try', 'horn', ...args])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining(result) as unknown,
    });
  });

  it('wants an artifact, and says how to make it', () => {
    const root = project({ 'horn.mjs': sound('return 1;') }, {}, { 'event.json': '1' });
    expect(run(root, ['try', 'horn', '--event', join(root, 'event.json')])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('emballage build horn') as unknown,
    });
  });
});
