/** Two hundred secrets of forty kinds, made here and hidden in five ways each: how many of them are found. */
import { createHash, generateKeyPairSync } from 'node:crypto';
import { crc32, gzipSync } from 'node:zlib';
import { makeTar } from '../../../../test/support/tar-bytes';
import { makeZip } from '../../../../test/support/zip-bytes';
import { contentsOf } from './contents';
import { scanBytes } from './scan';

/** Letters as chance would have them, and the same every time. */
function drawn(length: number, alphabet: string, seed: string): string {
  let text = '';
  for (let i = 0; text.length < length; i++)
    for (const byte of createHash('sha256')
      .update(`${seed} ${String(i)}`)
      .digest())
      if (text.length < length) text += alphabet[byte % alphabet.length] ?? '';
  return text;
}

const UPPER = 'ABCDEFGHIJKLMNOPQRSTUVWXYZ';
const ALL = `${UPPER}${UPPER.toLowerCase()}0123456789`;
const HEX = '0123456789abcdef';
const BASE32 = `${UPPER}234567`;
const BASE62 = `0123456789${UPPER}${UPPER.toLowerCase()}`;

function inBase62(value: number): string {
  let text = '';
  for (let rest = value; text.length < 6; rest = Math.floor(rest / 62)) text = (BASE62[rest % 62] ?? '') + text;
  return text;
}

const b64 = (text: string): string => Buffer.from(text).toString('base64');
const b64url = (value: object): string => Buffer.from(JSON.stringify(value)).toString('base64url');
const pem = (kind: 'rsa' | 'ec' | 'ed25519', type: 'pkcs8' | 'pkcs1' | 'sec1'): string => {
  const keys =
    kind === 'rsa'
      ? generateKeyPairSync('rsa', { modulusLength: 1024 })
      : kind === 'ec'
        ? generateKeyPairSync('ec', { namedCurve: 'P-256' })
        : generateKeyPairSync('ed25519');
  return String(keys.privateKey.export({ type, format: 'pem' } as { type: 'pkcs8'; format: 'pem' }));
};

/** What is planted, by its kind; `s` is another text for each place. */
const KINDS: Readonly<Record<string, (s: string) => string>> = {
  'private key, RSA': () => pem('rsa', 'pkcs1'),
  'private key, EC': () => pem('ec', 'sec1'),
  'private key, PKCS #8': () => pem('ed25519', 'pkcs8'),
  'personal token with a checksum': (s) => {
    const body = drawn(30, ALL, s);
    return `ghp_${body}${inBase62(crc32(body))}`;
  },
  'package token with a checksum': (s) => {
    const body = drawn(30, ALL, s);
    return `npm_${body}${inBase62(crc32(body))}`;
  },
  'fine-grained token': (s) => `github_pat_${drawn(22, ALL, s)}_${drawn(59, ALL, `${s}b`)}`,
  'project token': (s) => `glpat-${drawn(20, ALL, s)}`,
  'runner token': (s) => `glrt-${drawn(20, ALL, s)}`,
  'chat token': (s) => `xoxb-${drawn(12, '0123456789', s)}-${drawn(24, ALL, s)}`,
  'payment key': (s) => `sk_live_${drawn(24, ALL, s)}`,
  'restricted payment key': (s) => `rk_live_${drawn(24, ALL, s)}`,
  'web key': (s) => `AIza${drawn(35, ALL, s)}`,
  'access token of an account': (s) => `ya29.${drawn(70, ALL, s)}`,
  'mail key': (s) => `SG.${drawn(22, ALL, s)}.${drawn(43, ALL, `${s}b`)}`,
  'server token': (s) => `dop_v1_${drawn(64, HEX, s)}`,
  'shop token': (s) => `shpat_${drawn(32, HEX, s)}`,
  'vault token': (s) => `hvs.${drawn(90, ALL, s)}`,
  'model key': (s) => `sk-proj-${drawn(48, ALL, s)}`,
  'hub token': (s) => `hf_${drawn(34, UPPER + UPPER.toLowerCase(), s)}`,
  'registry token': (s) => `dckr_pat_${drawn(27, ALL, s)}`,
  'monitor token': (s) => `glsa_${drawn(32, ALL, s)}_${drawn(8, HEX, s)}`,
  'access key and its secret': (s) => `AKIA${drawn(16, BASE32, s)} ${drawn(40, `${ALL}+/`, s)}`,
  'bot token': (s) => `${drawn(9, '123456789', s)}:AA${drawn(33, ALL, s)}`,
  'posting address': (s) =>
    `https://hooks.harbour.example/services/T${drawn(9, UPPER, s)}/B${drawn(9, UPPER, `${s}b`)}/${drawn(24, ALL, s)}`,
  'address for reports': (s) => `https://${drawn(32, HEX, s)}:${drawn(32, HEX, `${s}b`)}@reports.harbour.example/7`,
  'database address': (s) => `postgresql://gauges:${drawn(14, ALL, s)}@db.fernhaven.harbour:5432/tides`,
  'queue address': (s) => `amqps://gauges:${drawn(16, ALL, s)}@queue.fernhaven.harbour/tides`,
  'cache address': (s) => `redis://:${drawn(20, ALL, s)}@cache.fernhaven.harbour:6379/0`,
  'connection string': (s) =>
    `Server=db.fernhaven.harbour;Database=tides;User Id=gauges;Password=${drawn(16, ALL, s)};`,
  'key of a storage account': (s) =>
    `DefaultEndpointsProtocol=https;AccountName=gauges;AccountKey=${drawn(86, `${ALL}+/`, s)}==`,
  'signed address': (s) => `https://files.harbour.example/t?sv=2026-01-01&sp=r&sig=${drawn(43, ALL, s)}%3D`,
  'basic login': (s) => `Authorization: Basic ${b64(`gauges:${drawn(14, ALL, s)}`)}`,
  'bearer login': (s) => `Authorization: Bearer ${drawn(48, ALL, s)}`,
  'signed web token': (s) =>
    `${b64url({ alg: 'HS256', typ: 'JWT' })}.${b64url({ sub: 'gauges', iat: 1_790_000_000 })}.${drawn(43, ALL, s)}`,
  'login of a machine': (s) => `machine files.fernhaven.harbour login gauges password ${drawn(16, ALL, s)}`,
  'login of a package registry': (s) => `//packages.harbour.example/:_authToken=${drawn(36, ALL, s)}`,
  'seed of one-time codes': (s) => `otpauth://totp/harbour:gauges?secret=${drawn(32, BASE32, s)}&issuer=harbour`,
  'hashed password': (s) => `gauges:$6$${drawn(16, ALL, s)}$${drawn(86, `${ALL}./`, s)}:19000:0:99999:7:::`,
  'key of a tunnel': (s) => `[Interface]\nPrivateKey = ${Buffer.from(drawn(32, ALL, s)).toString('base64')}\n`,
  'named key': (s) => `apiKey = "${drawn(32, ALL, s)}"`,
};

const own = (text: string): Buffer => Buffer.from(`// The harbour's own.\n${text}\nexport const tides = 4;\n`);

const PLACES: Readonly<Record<string, (text: string) => [string, Buffer]>> = {
  'a line of code': (text) => ['tide.mjs', own(text)],
  'JSON, escaped': (text) => ['settings.json', Buffer.from(JSON.stringify({ tides: 4, value: text }, null, 2))],
  'a program': (text) => [
    'tide',
    Buffer.concat([
      Buffer.from([0x7f, 0x45, 0x4c, 0x46, 0, 0, 1, 2]),
      Buffer.alloc(64),
      Buffer.from(text),
      Buffer.alloc(64),
    ]),
  ],
  'an archive in an archive': (text) => [
    'outer.zip',
    makeZip([{ name: 'inner.tgz', data: gzipSync(makeTar([{ name: 'deep/tide.txt', data: own(text) }])), method: 8 }]),
  ],
  'far into a large text': (text) => [
    'log.txt',
    Buffer.concat([Buffer.alloc(1 << 20, 'high and low tide\n'), own(text)]),
  ],
};

describe('two hundred planted secrets of forty kinds', () => {
  it('are found, ninety-five of a hundred at least', () => {
    expect(Object.keys(KINDS)).toHaveLength(40);
    const missed: string[] = [];
    for (const [kind, make] of Object.entries(KINDS))
      for (const [place, hide] of Object.entries(PLACES)) {
        const [name, bytes] = hide(make(`${kind} in ${place}`));
        const hits = [...contentsOf(name, bytes)].flatMap((content) => scanBytes(content.bytes));
        if (hits.length === 0) missed.push(`${kind} in ${place}`);
      }
    // Those that are known to be missed; a new one is looked at.
    expect(missed).toEqual([]);
  });
});
