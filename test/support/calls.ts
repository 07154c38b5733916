/** Projects whose destination says how it calls. */
import { folderWith, run, type Files } from './program';

export const SHAPES = `  shapes:
    gateway:
      request: { method: /call/verb, path: /call/path, query: { at: /call/query, as: lists }, headers: { at: /heads, as: mapping }, cookies: /cookies, body: /payload, base64: /encoded, with: { /version: "2" } }
      response: { status: /code, headers: /heads, cookies: /cookies, body: /payload, base64: /encoded, with: { /by: harbour } }
`;
const destination = (calls: string): string =>
  `destination: slipway\narch: [x86_64]\naccepts: { zip: {}, jar: {}, image: {} }\nruntimes: { node 20: { glibc: "2.36" }, python 3.11: { glibc: "2.36" }, java 17: {}, native: { glibc: "2.36" } }\ncalls:\n${calls}`;

export function harbour(functions: Readonly<Record<string, object>>, calls: string, files: Files): string {
  const sheet = {
    project: 'fernhaven-tides',
    destinations: { slipway: 'slipway.yaml' },
    defaults: { destination: 'slipway', arch: ['x86_64'] },
    functions,
  };
  return folderWith({ 'emballage.yaml': JSON.stringify(sheet), 'slipway.yaml': destination(calls), ...files });
}

export interface Called {
  readonly status: number | null;
  readonly answers: readonly unknown[];
  readonly kinds: readonly (string | undefined)[];
}

export function tried(root: string, name: string, ...events: readonly string[]): Called {
  const { status, stdout } = run(root, ['try', name, '--json', ...events.flatMap((one) => ['--event', one])]);
  const { calls } = JSON.parse(stdout) as {
    calls: { answer: { json?: string; failure?: { kind: string } } }[];
  };
  return {
    status,
    answers: calls.map(({ answer }) => (answer.json === undefined ? undefined : (JSON.parse(answer.json) as unknown))),
    kinds: calls.map(({ answer }) => answer.failure?.kind),
  };
}

/** Applications that say what they were asked, and give back the body. */
export const PAGE = `export default (request, response) => {
  const chunks = [];
  request.on('data', (chunk) => chunks.push(chunk)).on('end', () => {
    const { method, url, headers } = request;
    response.writeHead(method === 'GET' ? 500 : 201, { 'set-cookie': ['a=1', 'b=2'], 'x-said': [method, url, headers.cookie, headers['x-a']].join(' ') });
    response.end(Buffer.concat(chunks));
  });
};
`;
export const WSGI = `def page(environ, start_response):
    body = environ["wsgi.input"].read()
    said = " ".join([environ["REQUEST_METHOD"], environ["PATH_INFO"].encode("latin-1").decode(), environ["QUERY_STRING"], environ["HTTP_COOKIE"], environ["HTTP_X_A"]])
    start_response("201 Created", [("Set-Cookie", "a=1"), ("Set-Cookie", "b=2"), ("X-Said", said.encode().decode("latin-1"))])
    return [body]
`;
export const ASGI = `async def page(scope, receive, send):
    if scope["type"] != "http":
        raise ValueError
    body = (await receive())["body"]
    heads = dict(scope["headers"])
    said = b" ".join([scope["method"].encode(), scope["path"].encode(), scope["query_string"], heads[b"cookie"], heads[b"x-a"]])
    await send({"type": "http.response.start", "status": 201, "headers": [(b"set-cookie", b"a=1"), (b"set-cookie", b"b=2"), (b"x-said", said)]})
    await send({"type": "http.response.body", "body": body})
`;
