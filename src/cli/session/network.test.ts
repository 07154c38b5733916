import { createServer, type IncomingMessage, type RequestListener, type Server } from 'node:http';
import type { AddressInfo, Socket } from 'node:net';
import { connect } from 'node:net';
import { gzipSync } from 'node:zlib';
import { drain } from '../../core/sources/attempts';
import type { NetworkResponse } from '../../core/sources';
import { systemNetwork } from './network';

const servers: Server[] = [];
afterAll(() => servers.forEach((server) => (server.closeAllConnections(), server.close())));

function serve(listener: RequestListener): Promise<{ readonly server: Server; readonly port: number }> {
  const server = createServer(listener);
  servers.push(server);
  return new Promise((resolve) => {
    server.listen(0, '127.0.0.1', () => resolve({ server, port: (server.address() as AddressInfo).port }));
  });
}

async function textOf({ body }: NetworkResponse): Promise<string> {
  const chunks: Uint8Array[] = [];
  for await (const chunk of body) chunks.push(chunk);
  return Buffer.concat(chunks).toString();
}

describe('the network of this machine', () => {
  const tunnels: string[] = [];
  const forwarded: string[] = [];
  let port: number;
  let received: { readonly headers: IncomingMessage['headers']; readonly text: string };
  beforeAll(async () => {
    const target = await serve((request, response) => {
      let text = '';
      request.on('data', (chunk: Buffer) => (text += chunk.toString()));
      request.on('end', () => {
        received = { headers: request.headers, text };
        if (request.url === '/packed') response.writeHead(200, { 'content-encoding': 'gzip' }).end(gzipSync('levels'));
        else if (request.url === '/cut') {
          response.writeHead(200, { 'content-length': '10' }).write('half');
          setTimeout(() => response.destroy(), 20);
        } else response.end('plain');
      });
    });
    ({ port } = target);
    const proxy = await serve((request, response) => {
      forwarded.push(request.url ?? '');
      response.writeHead(request.url?.includes('login') === true ? 407 : 200).end('forwarded');
    });
    proxy.server.on('connect', (request: IncomingMessage, socket: Socket) => {
      tunnels.push(request.url ?? '');
      const through = connect(port, '127.0.0.1', () => {
        socket.write('HTTP/1.1 200 OK\r\n\r\n');
        through.pipe(socket).pipe(through);
      });
      for (const one of [socket, through]) one.on('error', () => undefined);
    });
    process.env.http_proxy = `http://127.0.0.1:${String(proxy.port)}`;
    process.env.no_proxy = '';
  });

  const ask = (path: string, headers: Readonly<Record<string, string>> = {}): Promise<NetworkResponse> =>
    systemNetwork().request({ url: `http://127.0.0.1:${String(port)}${path}`, headers });

  it('unpacks what it asked to be packed, and nothing else', async () => {
    expect(await textOf(await ask('/packed', { 'accept-encoding': 'gzip' }))).toBe('levels');
    expect((await textOf(await ask('/packed'))).startsWith('\u001f')).toBe(true);
  });

  it('says that an answer broke off, unless nobody wants it', async () => {
    await expect(ask('/cut').then(textOf)).rejects.toThrow();
    await expect(ask('/cut').then(drain)).resolves.toBeUndefined();
  });

  it('sends what it is given as it is read', async () => {
    const body = { size: 6, pieces: () => [Buffer.from('lev'), Buffer.from('els')] };
    const headers = { 'content-length': '6' };
    await systemNetwork().request({ url: `http://127.0.0.1:${String(port)}/`, method: 'PUT', headers, body });
    expect([received.text, received.headers['content-length'], received.headers['transfer-encoding']]).toEqual([
      'levels',
      '6',
      undefined,
    ]);
  });

  it('goes through the proxy that the environment names, but not to this machine', async () => {
    expect(await textOf(await ask('/'))).toBe('plain');
    expect(tunnels).toEqual([]);
    const response = await systemNetwork().request({ url: 'http://harbour.example:5000/', headers: {} });
    expect([await textOf(response), forwarded]).toEqual(['forwarded', ['http://harbour.example:5000/']]);
    await expect(systemNetwork().request({ url: 'https://harbour.example:5000/', headers: {} })).rejects.toThrow();
    expect(tunnels).toEqual(['harbour.example:5000']);
  });

  it('takes another proxy where settings say so, and none where they except the host', async () => {
    const other = await serve((_request, response) => response.end('other'));
    const proxies = { http: `127.0.0.1:${String(other.port)}` };
    const request = { url: 'http://harbour.example:5000/', headers: {} };
    expect(await textOf(await systemNetwork().request({ ...request, way: { proxies } }))).toBe('other');
    const except = { proxies: { ...proxies, except: 'harbour.example' } };
    await expect(systemNetwork().request({ ...request, way: except })).rejects.toThrow();
  });

  it('says in words that a proxy wants a login', async () => {
    const answer = systemNetwork().request({ url: 'http://harbour.example/login', headers: {} });
    await expect(answer).rejects.toThrow('the proxy wants a login');
  });

  it('says in words that nobody is there', async () => {
    const { server, port: gone } = await serve(() => undefined);
    await new Promise((resolve) => server.close(resolve));
    await expect(systemNetwork().request({ url: `http://127.0.0.1:${String(gone)}/`, headers: {} })).rejects.toThrow(
      'nobody listening there',
    );
  });
});
