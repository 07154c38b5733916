import {
  judgeEvent,
  madeUpEvent,
  OWN_CALLS,
  OWN_SHAPE,
  pointerParts,
  pointerText,
  putAt,
  readRequest,
  readResponse,
  readsOf,
  valueAt,
  writeRequest,
  type CloudEvent,
  type Shape,
  type WebRequest,
} from './';

const GATEWAY: Shape = {
  name: 'gateway',
  request: {
    method: ['call', 'verb'],
    path: ['call', 'path'],
    query: { at: ['call', 'query'], as: 'lists' },
    headers: { at: ['headers'], as: 'mapping' },
    cookies: ['cookies'],
    body: ['payload'],
    base64: ['encoded'],
    with: [[['version'], '2']],
  },
  response: {
    status: ['code'],
    headers: { at: ['headers'], as: 'lists' },
    cookies: ['cookies'],
    body: ['payload'],
    base64: ['encoded'],
    with: [],
  },
};
const REQUEST: WebRequest = {
  method: 'PUT',
  path: '/a%20b',
  query: 'x=1&x=2&y=%26',
  headers: [
    ['x-a', '1'],
    ['x-a', '2'],
    ['cookie', 'c=1; d=2'],
  ],
  body: Buffer.from([0xff, 0x00]),
  scheme: 'https',
  remote: '203.0.113.7',
};
const cloud = (data: unknown): CloudEvent => ({ specversion: '1.0', id: '1', source: '/a', type: 't', data });

describe('JSON Pointers', () => {
  it.each([
    ['', []],
    ['/a/b~1c/~0/0', ['a', 'b/c', '~', '0']],
    ['/', ['']],
    ['a', undefined],
    ['/a~2', undefined],
  ])('%j are read', (text, parts) => {
    expect(pointerParts(text)).toEqual(parts);
    if (parts !== undefined) expect(pointerText(parts)).toBe(text);
  });

  it('lead to places, also in lists, and nowhere else', () => {
    const document = { a: [{ b: 1 }], constructor: 2 };
    expect(
      [['a', '0', 'b'], ['a', '00', 'b'], ['toString'], ['a', 'length']].map((at) => valueAt(document, at)),
    ).toEqual([1, undefined, undefined, undefined]);
    const made: Record<string, unknown> = {};
    putAt(made, ['__proto__', 'x'], 1);
    expect([JSON.stringify(made), Object.getPrototypeOf(made)]).toEqual(['{"__proto__":{"x":1}}', Object.prototype]);
  });
});

describe('web requests', () => {
  it('are written as a shape says, and read back', () => {
    const data = writeRequest(GATEWAY, REQUEST);
    expect(data).toEqual({
      version: '2',
      call: { verb: 'PUT', path: '/a%20b', query: { x: ['1', '2'], y: ['&'] } },
      cookies: ['c=1', 'd=2'],
      headers: { 'x-a': '1, 2' },
      encoded: true,
      payload: '/wA=',
    });
    expect(readRequest(GATEWAY, data)).toMatchObject({
      method: 'PUT',
      path: '/a%20b',
      query: 'x=1&x=2&y=%26',
      body: REQUEST.body,
      headers: [
        ['x-a', '1, 2'],
        ['cookie', 'c=1; d=2'],
      ],
    });
    expect(readRequest(OWN_SHAPE, writeRequest(OWN_SHAPE, REQUEST))).toEqual(REQUEST);
  });

  it('are answered by responses where the shape has them', () => {
    const answer = { code: 201, headers: { 'X-A': ['1', '2'] }, cookies: ['a=1'], payload: 'aGk=', encoded: true };
    expect(readResponse(GATEWAY, answer)).toEqual({
      status: 201,
      headers: [
        ['x-a', '1'],
        ['x-a', '2'],
        ['set-cookie', 'a=1'],
      ],
      body: Buffer.from('hi'),
    });
    expect(() => readResponse(GATEWAY, { status: 200 })).toThrow('no status at `/code`');
    expect(() => readResponse(GATEWAY, { code: 200, payload: {} })).toThrow('no text as body at `/payload`');
  });
});

describe('an event is held against what a function takes', () => {
  const plain = (event: 'cloudevent' | 'data', ...reads: string[][]) => ({
    calls: { ...OWN_CALLS, event, shapes: [GATEWAY] },
    reads,
  });
  const web = { calls: { ...OWN_CALLS, shapes: [GATEWAY] }, reads: [], shape: GATEWAY };

  it.each([
    ['plain data to a web application', cloud({ level: 4 }), web, '`level`'],
    ['a request in our form to another', cloud({ method: 'GET', path: '/' }), web, 'a request in our own form'],
    ['a request of its shape', cloud({ call: { verb: 'GET', path: '/' } }), web, undefined],
    [
      'a request to a plain function',
      cloud({ call: { verb: 'GET', path: '/' } }),
      plain('data'),
      'a web request, which',
    ],
    ['a request to one that reads it', cloud({ method: 'GET', path: '/' }), plain('data', ['path']), undefined],
    ['what the code reads', cloud({ level: 4 }), plain('cloudevent', ['data', 'level']), undefined],
    ['other data', cloud({ height: 4 }), plain('cloudevent', ['data', 'level']), '`height`'],
    [
      'data that is read from the event itself',
      cloud({ level: 4 }),
      plain('cloudevent', ['level']),
      'a CloudEvent, in whose',
    ],
    ['a whole event that is read from data', cloud({ level: 4 }), plain('data', ['data', 'level']), 'the data alone'],
    ['an event for other code', cloud({ level: 4 }), plain('data', ['Records', '0']), '`level`'],
    ['one of several names', cloud({ level: 4 }), plain('data', ['Records'], ['level']), undefined],
  ])('%s', (_what, event, taken, found) => {
    const fault = judgeEvent(event, taken);
    expect(fault?.found).toEqual(found === undefined ? undefined : expect.stringContaining(found));
    // What is said to be right is.
    if (fault?.right !== undefined && taken.calls.event === 'data')
      expect(judgeEvent(cloud(fault.right), taken)).toBeUndefined();
  });

  it('and one that is made up fits', () => {
    const common = { project: 'tides', name: 'alert', time: '2026-01-01T00:00:00Z' };
    const reads = [['data', 'level'], ['data', 'at', 'pier'], ['id']];
    const event = madeUpEvent({ ...common, kind: 'cloudevent', shape: OWN_SHAPE, calls: OWN_CALLS, reads });
    expect(event).toMatchObject({ specversion: '1.0', id: 'alert-1', data: { level: null, at: { pier: null } } });
    const request = madeUpEvent({ ...common, kind: 'request', shape: GATEWAY, calls: OWN_CALLS, reads });
    expect(judgeEvent(cloud(request), web)).toBeUndefined();
  });
});

it('what code reads of a parameter is told by the steps behind it', () => {
  const step = /\.(?<name>\w+)(?!\w*\s*\()|\["(?<key>\w+)"\]/y;
  const text = 'event.data.level; my.event.x; events.y; event["type"]; event.data.map(1); event()';
  expect(readsOf(text, 'event', step)).toEqual([['data', 'level'], ['type'], ['data']]);
});
