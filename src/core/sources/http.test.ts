import { join } from 'node:path';
import { folderWith } from '../../../test/support/program';
import { readNetrc, withoutCredentials } from '../toolchains/credentials';
import { HttpClient, NOT_FOUND } from './http';
import type { NetworkRequest, NetworkResponse } from './network';

type Answer = (request: NetworkRequest) => Partial<NetworkResponse> & { readonly text?: string };

/** A network that answers from a list, and notes what it was asked. */
function networkOf(answers: readonly Answer[]) {
  const asked: NetworkRequest[] = [];
  const pauses: number[] = [];
  const network = {
    request: (request: NetworkRequest): Promise<NetworkResponse> => {
      const answer = answers[asked.length] ?? answers.at(-1);
      asked.push(request);
      const { text = '', ...rest } = answer?.(request) ?? {};
      return Promise.resolve({ status: 200, headers: {}, body: chunks(text), ...rest });
    },
    sleep: (ms: number): Promise<void> => {
      pauses.push(ms);
      return Promise.resolve();
    },
    now: () => 0,
  };
  return { network, asked, pauses };
}

// eslint-disable-next-line @typescript-eslint/require-await
async function* chunks(text: string): AsyncGenerator<Uint8Array> {
  yield Buffer.from(text);
}

const client = (answers: readonly Answer[], netrc = '', folder = join(folderWith({}), 'http')) => {
  const { network, asked, pauses } = networkOf(answers);
  const make = (online = true): HttpClient =>
    new HttpClient({ network: online ? network : undefined, credentials: readNetrc(netrc), cacheFolder: folder });
  return { make, asked, pauses };
};
const request = { url: 'https://index.example/simple/levels/', maxBytes: 100, doing: 'asking' };
const textOf = async (from: HttpClient): Promise<string> => {
  const fetched = await from.fetch(request);
  return fetched === NOT_FOUND ? 'not found' : fetched.bytes.toString();
};

describe('the HTTP client', () => {
  it('asks whether what it has is still right, and takes it when it is', async () => {
    const etag = { etag: '"1"' };
    const { make, asked } = client([() => ({ headers: etag, text: 'page' }), () => ({ status: 304, headers: etag })]);
    expect([await textOf(make()), await textOf(make()), await textOf(make(false))]).toEqual(['page', 'page', 'page']);
    expect(asked.map(({ headers }) => headers['if-none-match'])).toEqual([undefined, '"1"']);
  });

  it('asks for each page once in a run, and not at all while it is fresh', async () => {
    const { make, asked } = client([
      () => ({ headers: { 'cache-control': 'max-age=600', date: new Date().toUTCString() }, text: 'page' }),
    ]);
    const one = make();
    await Promise.all([textOf(one), textOf(one)]);
    await textOf(make());
    expect(asked.length).toBe(1);
  });

  it('tries again after failures, with growing pauses, as long as the server asks for', async () => {
    const failures: Answer[] = [() => ({ status: 503 }), () => ({ status: 429, headers: { 'retry-after': '2' } })];
    const { make, pauses } = client([
      ...failures,
      () => ({ headers: { 'content-length': '9' }, text: 'cut' }),
      () => ({ text: 'page' }),
    ]);
    expect([await textOf(make()), pauses]).toEqual(['page', [250, 2000, 1000]]);
    const given = client([() => ({ status: 500 })]);
    await expect(textOf(given.make())).rejects.toMatchObject({ code: 'SOURCE_UNREACHABLE' });
    expect(given.asked.length).toBe(4);
  });

  it('follows redirects, but takes no login along to another host and never leaves HTTPS', async () => {
    const to =
      (location: string): Answer =>
      () => ({ status: 302, headers: { location } });
    const netrc = 'machine index.example login a password b';
    const { make, asked } = client([to('https://files.example/x'), () => ({ text: 'page' })], netrc);
    expect(await textOf(make())).toBe('page');
    expect(asked.map(({ headers }) => headers.authorization)).toEqual([
      `Basic ${Buffer.from('a:b').toString('base64')}`,
      undefined,
    ]);
    for (const location of ['http://index.example/', 'ftp://index.example/', 'file:///etc/passwd'])
      await expect(textOf(client([to(location)]).make())).rejects.toMatchObject({ code: 'SOURCE_REFUSED' });
    await expect(textOf(client([to('/again')]).make())).rejects.toMatchObject({
      facts: { expected: 'at most 5 redirects' },
    });
  });

  it('holds answers to their size', async () => {
    await expect(textOf(client([() => ({ text: 'x'.repeat(101) })]).make())).rejects.toMatchObject({
      code: 'SOURCE_REFUSED',
    });
    await expect(textOf(client([() => ({ headers: { 'content-length': '999' } })]).make())).rejects.toMatchObject({
      code: 'SOURCE_REFUSED',
    });
  });

  it('says that something is not there, is forbidden, or may not be asked for', async () => {
    expect(await textOf(client([() => ({ status: 404 })]).make())).toBe('not found');
    await expect(textOf(client([() => ({ status: 403 })]).make())).rejects.toMatchObject({ code: 'SOURCE_REFUSED' });
    await expect(textOf(client([]).make(false))).rejects.toMatchObject({ code: 'SOURCE_OFFLINE' });
  });
});

describe('credentials', () => {
  it('are those of the host, of the default, or of the address itself', () => {
    const text =
      '# logins\nmachine a.example\n  login "x y" password p\\\nmacdef init\n  machine b.example login no password no\n\ndefault login d password e\n';
    const credentials = readNetrc(text);
    const decoded = (url: string): string =>
      Buffer.from(credentials.authorizationFor(new URL(url))?.replace('Basic ', '') ?? '', 'base64').toString();
    expect([decoded('https://A.example/'), decoded('https://b.example/'), decoded('https://u:v@a.example/')]).toEqual([
      'x y:p\\',
      'd:e',
      'u:v',
    ]);
    expect(withoutCredentials('https://u:v@a.example/x?y#z')).toBe('https://a.example/x?y#z');
  });
});
