/** Functions that are called by HTTP: native code, and images that are started by hand as any container host would. */
import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { createServer, type AddressInfo } from 'node:net';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { ASGI, harbour, PAGE, tried, WSGI } from '../support/calls';
import { compiled, configText, DOTNET_PROGRAM, itWithDotnet } from '../support/dotnet';
import { itWithJava } from '../support/jvm';
import { itWith } from '../support/needs';
import { folderWith, run, type Files } from '../support/program';

/** A server of HTTP in C, which does as MODE says. */
const SERVER = `#define _GNU_SOURCE
#include <arpa/inet.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>
static int is(const char *mode) { return strcmp(getenv("MODE"), mode) == 0; }
int main(void) {
  if (is("stubborn")) signal(SIGTERM, SIG_IGN);
  if (is("deaf")) for (;;) pause();
  int s = socket(AF_INET, SOCK_STREAM, 0), on = 1;
  setsockopt(s, SOL_SOCKET, SO_REUSEADDR, &on, sizeof on);
  struct sockaddr_in at = { .sin_family = AF_INET, .sin_addr.s_addr = htonl(INADDR_LOOPBACK) };
  at.sin_port = is("other") ? 0 : htons(atoi(getenv("PORT")));
  if (bind(s, (struct sockaddr *)&at, sizeof at) || listen(s, 8)) return 3;
  for (;;) {
    int c = accept(s, 0, 0), n = 0, k;
    static char text[65536], out[66000];
    while ((k = read(c, text + n, sizeof text - 1 - n)) > 0) {
      n += k; text[n] = 0;
      char *end = strstr(text, "\\r\\n\\r\\n"), *length = strcasestr(text, "content-length:");
      if (end && n >= (end + 4 - text) + (length ? atoi(length + 15) : 0)) break;
    }
    if (k > 0) {
      const char *body = strstr(text, "\\r\\n\\r\\n") + 4;
      if (is("crash")) abort();
      if (is("half")) dprintf(c, "HTTP/1.1 200 OK\\r\\ncontent-length: 100\\r\\n\\r\\n{");
      else {
        snprintf(out, sizeof out, "[%s,%s]", strcasestr(text, "ce-id: 1") ? "true" : "false", body);
        dprintf(c, "HTTP/1.1 %s\\r\\ncontent-length: %zu\\r\\nconnection: close\\r\\n\\r\\n%s", is("fails") ? "503 No" : "200 OK", strlen(out), out);
      }
    }
    close(c);
  }
}
`;

describe('native code that is called by HTTP', () => {
  const modes = ['good', 'deaf', 'other', 'half', 'crash', 'fails', 'stubborn'];
  const functions = Object.fromEntries(
    modes.map((mode) => [
      mode,
      { source: 'c', runtime: 'c', entry: 'main.c', artifact: 'zip', settings: { MODE: { sample: mode } } },
    ]),
  );
  const event = JSON.stringify({
    specversion: '1.0',
    id: '1',
    source: '/a',
    type: 't',
    data: { level: 9007199254740993 },
  });
  let root = '';
  beforeAll(() => {
    root = harbour(functions, '  native: http\n  start: 1 s\n  stop: 300 ms\n', {
      'c/main.c': SERVER,
      'e.json': event.replace('9007199254740992', '9007199254740993'),
    });
  });

  itWith('gcc')('gets CloudEvents, and is told what it does wrong; no process is left', () => {
    expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
    // PORT is the host's to set.
    expect(run(root, ['check', 'good']).stdout).not.toContain('PORT');
    const kinds = modes.slice(0, -1).map((mode) => tried(root, mode, 'e.json').kinds[0]);
    expect(kinds).toEqual([undefined, 'deaf', 'deaf', 'broken', 'killed', 'status']);
    expect(run(root, ['try', 'good', '--event', 'e.json']).stdout).toContain('9007199254740993');
    expect(run(root, ['try', 'other', '--event', 'e.json']).stdout).toMatch(/found {5}it listens on \d+ instead/);
    const stubborn = run(root, ['try', 'stubborn', '--event', 'e.json']);
    expect([stubborn.status, stubborn.stdout]).toEqual([
      1,
      expect.stringContaining('it to end within 300 ms of SIGTERM') as string,
    ]);
    const { stdout } = spawnSync('ps', ['-eo', 'args'], { encoding: 'utf8' });
    // Others may be running beside: what is left has nobody any more whom it belongs to.
    const owners = [...stdout.matchAll(/emballage-host-(\d+)-/g)].map(([, pid]) => `/proc/${pid ?? ''}`);
    expect(owners.filter((owner) => !existsSync(owner))).toEqual([]);
  });
});

/** Unpacks an image with plain tar, and gives the folder and the command of its configuration. */
function unpacked(root: string, name: string): { folder: string; command: string[] } {
  const folder = folderWith({});
  const [layout, files] = [join(root, `out/${name}/x86_64/${name}.oci`), join(folder, 'root')];
  mkdirSync(files);
  const blob = (digest: string): string => join(layout, 'blobs/sha256', digest.slice('sha256:'.length));
  const read = (path: string): unknown => JSON.parse(readFileSync(path, 'utf8'));
  const { manifests } = read(join(layout, 'index.json')) as { manifests: { digest: string }[] };
  const { layers, config } = read(blob(manifests[0]?.digest ?? '')) as {
    layers: { digest: string }[];
    config: { digest: string };
  };
  for (const { digest } of layers) spawnSync('tar', ['-xzf', blob(digest), '-C', files]);
  const { config: stated } = read(blob(config.digest)) as { config: { Entrypoint: string[]; Env: string[] } };
  expect(stated.Env).toContain('PORT=8080');
  return { folder: files, command: stated.Entrypoint };
}

describe('an image that is called by HTTP, started by hand', () => {
  const started: ChildProcess[] = [];
  afterAll(() => started.forEach((child) => child.kill('SIGKILL')));

  /** Starts the command of an image with what this machine has as its runtime, since its base is made up. */
  async function start(root: string, name: string, program: string): Promise<{ url: string; child: ChildProcess }> {
    const { folder, command } = unpacked(root, name);
    const plan = join(folder, 'emballage/start.json');
    writeFileSync(plan, readFileSync(plan, 'utf8').replace('"/function"', JSON.stringify(join(folder, 'function'))));
    const port = await new Promise<number>((resolve) => {
      const server = createServer().listen(0, '127.0.0.1', () => {
        const { port: free } = server.address() as AddressInfo;
        server.close(() => resolve(free));
      });
    });
    const args = command
      .slice(1)
      .map((one) =>
        one.replace(
          /(^|:)\/(emballage|function)(?=\/|:|$)/g,
          (_all, before: string, at: string) => `${before}${folder}/${at}`,
        ),
      );
    const child = spawn(program, args, { env: { PATH: process.env.PATH, PORT: String(port) }, stdio: 'ignore' });
    started.push(child);
    const url = `http://127.0.0.1:${String(port)}/`;
    for (let i = 0; i < 200; i++) {
      if ((await fetch(`${url}ready`).catch(() => undefined))?.status === 200) return { url, child };
      await sleep(50);
    }
    throw new Error(`${name} does not answer`);
  }

  const post = async (url: string, body: string, headers: Record<string, string>): Promise<[number, string]> => {
    const answer = await fetch(url, { method: 'POST', body, headers });
    return [answer.status, (await answer.text()).replace(/\s/g, '')];
  };
  const BINARY = {
    'ce-specversion': '1.0',
    'ce-id': '7',
    'ce-source': '/a',
    'ce-type': 't',
    'content-type': 'application/json',
  };
  const STRUCTURED = { 'content-type': 'application/cloudevents+json' };

  async function speaksCloudEvents(url: string, child: ChildProcess): Promise<void> {
    expect(await post(url, '{"cm":4}', BINARY)).toEqual([200, '["7",4]']);
    const event = { specversion: '1.0', id: '8', source: '/a', type: 't', data: { cm: 5 } };
    expect(await post(url, JSON.stringify(event), STRUCTURED)).toEqual([200, '["8",5]']);
    const statuses = await Promise.all([
      post(url, JSON.stringify({ ...event, id: '' }), STRUCTURED),
      post(url, '{', STRUCTURED),
      post(url, '[]', { 'content-type': 'application/cloudevents-batch+json' }),
      post(url, '{"cm":null}', BINARY),
      fetch(url).then((one) => [one.status]),
    ]);
    expect(statuses.map(([status]) => status)).toEqual([400, 400, 415, 500, 405]);
    // Fifty at once, of which as many are answered at once as the destination says.
    const begun = performance.now();
    const all = await Promise.all(Array.from({ length: 50 }, () => post(url, '{"cm":6,"wait":200}', BINARY)));
    expect(new Set(all.map(([status, body]) => `${String(status)} ${body}`))).toEqual(new Set(['200 ["7",6]']));
    expect(performance.now() - begun).toBeLessThan(50 * 200);
    // What has begun is answered before it ends.
    const last = post(url, '{"cm":7,"wait":300}', BINARY);
    await sleep(100);
    const ended = new Promise((resolve) => child.once('exit', resolve));
    child.kill('SIGTERM');
    expect([await last, await ended]).toEqual([[200, '["7",7]'], 0]);
  }

  const LAYER = [
    { name: 'usr/bin/node', data: '#!/usr/bin/sh\n', mode: 0o755 },
    { name: 'usr/bin/python3', data: '#!/usr/bin/sh\n', mode: 0o755 },
    { name: 'usr/bin/dotnet', data: '#!/usr/bin/sh\n', mode: 0o755 },
    { name: 'usr/bin/java', data: '#!/usr/bin/sh\n', mode: 0o755 },
    { name: 'usr/bin/sh', data: 'sh', mode: 0o755 },
  ];
  const base = (files: Files): Files => ({
    ...Object.fromEntries(
      LAYER.map(({ name, data, mode }) => [`base/${name}`, (path) => writeFileSync(path, data, { mode })]),
    ),
    ...files,
  });
  const image = { artifact: 'image', base: { root: 'base' } };
  const CALLS = '  image: http\n  concurrency: 25\n  health: /ready\n  stop: 3 s\n';

  it('in Node.js and Python speaks CloudEvents, many at once, and ends when it is told to', async () => {
    const root = harbour(
      {
        node: { ...image, source: 'n', runtime: 'node 20', entry: 'horn.mjs#sound' },
        python: { ...image, source: 'p', runtime: 'python 3.11', entry: 'horn.py#sound' },
      },
      CALLS,
      base({
        'n/horn.mjs':
          'export const sound = async ({ id, data }) => {\n  await new Promise((r) => setTimeout(r, data.wait ?? 0));\n  return [id, Number(data.cm.toFixed(0))];\n};\n',
        'p/horn.py':
          'import time\ndef sound(event, context):\n    time.sleep(event["data"].get("wait", 0) / 1000)\n    return [event["id"], event["data"]["cm"] + 0]\n',
      }),
    );
    for (const args of [['lock'], ['build']]) expect(run(root, args)).toMatchObject({ status: 0, stderr: '' });
    for (const [name, program] of [
      ['node', process.execPath],
      ['python', 'python3'],
    ] as const) {
      const { url, child } = await start(root, name, program);
      await speaksCloudEvents(url, child);
    }
  }, 60_000);

  itWithJava(
    'on the JVM does the same',
    async () => {
      const root = harbour(
        { jvm: { ...image, source: 'j', runtime: 'java 17', entry: 'tide.Horn#sound' } },
        CALLS,
        base({
          'j/tide/Horn.java': `package tide;
import java.util.*;
public class Horn {
  public List<Object> sound(Map<String, Object> event) throws Exception {
    Map<?, ?> data = (Map<?, ?>) event.get("data");
    if (data.get("wait") != null) Thread.sleep((Integer) data.get("wait"));
    return List.of(event.get("id"), (Integer) data.get("cm") + 0);
  }
}
`,
        }),
      );
      for (const args of [['lock'], ['build']]) expect(run(root, args)).toMatchObject({ status: 0, stderr: '' });
      const { url, child } = await start(root, 'jvm', 'java');
      await speaksCloudEvents(url, child);
    },
    60_000,
  );

  itWithDotnet(
    'on .NET does the same',
    async () => {
      const root = harbour(
        { dotnet: { ...image, source: 'd', runtime: 'dotnet 3', entry: 'Horn.dll#Tide.Horn.Sound' } },
        CALLS,
        base({
          'd/Horn.runtimeconfig.json': configText('3.1.0'),
          'd/Horn.dll': compiled(
            'Horn.dll',
            `using System.Collections.Generic; using System.Threading;
namespace Tide { public class Horn {
  public object Sound(Dictionary<string, object> one) {
    var data = (Dictionary<string, object>)one["data"];
    object wait; if (data.TryGetValue("wait", out wait)) Thread.Sleep((int)(long)wait);
    return new object[] { one["id"], (long)data["cm"] };
  }
} }`,
          ),
        }),
      );
      for (const args of [['lock'], ['build']]) expect(run(root, args)).toMatchObject({ status: 0, stderr: '' });
      const { url, child } = await start(root, 'dotnet', DOTNET_PROGRAM);
      await speaksCloudEvents(url, child);
    },
    60_000,
  );

  it('as a web application gets the very requests', async () => {
    const root = harbour(
      {
        node: { ...image, source: 'n', runtime: 'node 20', entry: 'page.mjs#default', adapter: 'http' },
        wsgi: { ...image, source: 'w', runtime: 'python 3.11', entry: 'page.py#page', adapter: 'wsgi' },
        asgi: { ...image, source: 'a', runtime: 'python 3.11', entry: 'page.py#page', adapter: 'asgi' },
      },
      CALLS,
      base({ 'n/page.mjs': PAGE, 'w/page.py': WSGI, 'a/page.py': ASGI }),
    );
    for (const args of [['lock'], ['build']]) expect(run(root, args)).toMatchObject({ status: 0, stderr: '' });
    const body = Buffer.from([0xff, 0x00]);
    for (const [name, program, said] of [
      ['node', process.execPath, 'PUT /a%20b?x=1&x=2 c=1 b'],
      ['wsgi', 'python3', 'PUT /a b x=1&x=2 c=1 b'],
      ['asgi', 'python3', 'PUT /a b x=1&x=2 c=1 b'],
    ] as const) {
      const { url, child } = await start(root, name, program);
      const headers = { cookie: 'c=1', 'x-a': 'b' };
      const answer = await fetch(`${url}a%20b?x=1&x=2`, { method: 'PUT', headers, body });
      expect([name, answer.status, answer.headers.getSetCookie(), answer.headers.get('x-said')]).toEqual([
        ...[name, 201, ['a=1', 'b=2'], said],
      ]);
      expect(Buffer.from(await answer.arrayBuffer())).toEqual(body);
      child.kill('SIGTERM');
    }
  }, 60_000);
});
