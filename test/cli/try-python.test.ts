import { pythonProject } from '../support/index';
import { put, run, type Files } from '../support/program';
import { itWithPython } from '../support/python';

interface Call {
  readonly answer: {
    readonly kind: string;
    readonly json?: string;
    readonly failure?: Readonly<Record<string, unknown>>;
  };
  readonly cold: boolean;
  readonly log: { readonly lines: readonly string[] };
  readonly peakBytes: number;
}

const called = (
  code: string,
  keys: Readonly<Record<string, unknown>> = {},
  more: Files = {},
  args: readonly string[] = [],
) => {
  const root = pythonProject({ 'intake.py': code, ...more }, { timeout: '2 s', memory: '128 MiB', ...keys });
  put(root, { 'e.json': '{"level": 3}' });
  expect(run(root, ['build']).status).toBe(0);
  const { status, stdout } = run(root, ['try', 'intake', '--event', 'e.json', '--json', ...args]);
  const { calls } = JSON.parse(stdout) as { calls: readonly Call[] };
  return { status, calls, first: calls[0] };
};
const failureOf = (code: string, keys: Readonly<Record<string, unknown>> = {}) =>
  called(code, keys).first?.answer.failure;

describe('try of a Python function', () => {
  itWithPython('gives the event and a context, keeps the log, and starts the process once', () => {
    const code = [
      'import sys',
      'count = 0',
      'async def receive(event, context):',
      '    global count',
      '    count += 1',
      '    print("out", count)',
      '    print("err", file=sys.stderr)',
      '    return {"data": event["data"], "type": event["specversion"], "name": context.name, "run": context.run,',
      '            "memory": context.memory, "deadline": context.deadline[-1], "count": count, "none": None}',
    ].join('\n');
    const { status, calls } = called(code, {}, {}, ['--repeat', '2']);
    expect([status, calls.map(({ cold }) => cold)]).toEqual([0, [true, false]]);
    expect(JSON.parse(calls[1]?.answer.json ?? '')).toEqual({
      data: { level: 3 },
      type: '1.0',
      name: 'intake',
      run: 'run-2',
      memory: 128 * 1024 ** 2,
      deadline: 'Z',
      count: 2,
      none: null,
    });
    expect(calls[1]?.log.lines).toEqual(expect.arrayContaining(['out 2', 'err']));
    expect(calls[0]?.peakBytes).toBeGreaterThan(1024 ** 2);
  });

  itWithPython('sets the declared settings and nothing else, and sees no packages of this machine', () => {
    const code =
      'import os, sys\ndef receive(e, c):\n    return [sorted(k for k in os.environ if k != "LC_CTYPE"), [p for p in sys.path if "site-packages" in p and "local" in p.split("/")[-4:]], os.path.isdir(os.getcwd())]\n';
    const { first } = called(code, { settings: { LEVEL: { sample: '4' } } });
    expect(JSON.parse(first?.answer.json ?? '')).toEqual([['LEVEL'], [], true]);
  });

  itWithPython.each([
    ['raise KeyError("x")', { kind: 'threw', name: 'KeyError', message: "'x'" }],
    ['raise SystemExit(3)', { kind: 'exited', code: 3 }],
    ['import os; os._exit(0)', { kind: 'exited', code: 0 }],
    ['while True: pass', { kind: 'hung', while: 'running', limitMs: 2000 }],
    ['return float("nan")', { kind: 'not-json', fault: 'the answer is nan' }],
    ['return {"a": [1, {2}]}', { kind: 'not-json', fault: '`a[1]` is a set' }],
    ['return {(1,): 2}', { kind: 'not-json', fault: 'the answer has the key (1,), which JSON cannot hold' }],
    ['x = []; x.append(x); return x', { kind: 'not-json', fault: '`[0]` contains itself' }],
    ['return b"bytes"', { kind: 'not-json', fault: 'the answer is a bytes' }],
    ['import os; os.write(4, b"{}\\n")', { kind: 'garbled' }],
    ['x = bytearray(10**9); return len(x)', { kind: 'memory' }],
  ])('reports a function that does: %s', (body, failure) => {
    expect(failureOf(`def receive(event, context):\n    ${body}\n`)).toMatchObject(failure);
  });

  itWithPython('shows where it failed, with paths in the artifact', () => {
    const { first } = called(
      'from deep.inner import fail\ndef receive(e, c):\n    fail()\n',
      {},
      { 'deep/inner.py': 'def fail():\n    raise ValueError("too low")\n' },
    );
    expect(String(first?.answer.failure?.stack).split('\n').slice(0, 3)).toEqual([
      'ValueError: too low',
      '    at fail (deep/inner.py:2)',
      '    at receive (intake.py:3)',
    ]);
  });

  itWithPython('reports a module that does not load, and a member that is none', () => {
    expect(failureOf('import nowhere_to_be_found\ndef receive(e, c): pass\n')).toMatchObject({
      kind: 'load-failed',
      missing: 'nowhere_to_be_found',
    });
    expect(failureOf('receive = 3\nother = 4\n')).toMatchObject({
      kind: 'no-member',
      found: 'int',
      members: ['receive', 'other'],
    });
  });

  it('says what is missing when the version of Python is not here, or the files are for another processor', () => {
    const old = pythonProject(
      { 'intake.py': 'def receive(e, c): pass\n' },
      { runtime: 'python 3.2' },
      { 'e.json': '{}' },
    );
    run(old, ['build']);
    const { status, stderr } = run(old, ['try', 'intake', '--event', 'e.json']);
    expect([status, stderr.includes('python3.2')]).toEqual([3, true]);
    const foreign = process.arch === 'arm64' ? 'x86_64' : 'arm64';
    const other = pythonProject({ 'intake.py': '', 'fast.so': 'x' }, { arch: [foreign] }, { 'e.json': '{}' });
    run(other, ['build']);
    const refused = run(other, ['try', 'intake', '--event', 'e.json']);
    expect([refused.status, refused.stderr.includes('fast.so')]).toEqual([3, true]);
  });
});
