/** A function `horn` whose papers tests look at. */
import { generateKeyPairSync } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { place } from './harbour';
import { HORN, project, put, run } from './program';

export const BASE = 'out/horn/x86_64/horn';

export interface Claim {
  readonly what: string;
  readonly holds: boolean | 'unknown';
}

/** Papers are of this machine’s keys: none lies in the repository. */
export function keyPair(kind: 'ed25519' | 'ec' = 'ed25519', password?: string) {
  const { privateKey, publicKey } =
    kind === 'ec' ? generateKeyPairSync('ec', { namedCurve: 'P-256' }) : generateKeyPairSync('ed25519');
  const lock = password === undefined ? {} : { cipher: 'aes-256-cbc', passphrase: password };
  return {
    'key.pem': privateKey.export({ type: 'pkcs8', format: 'pem', ...lock }).toString(),
    'keys/pub.pem': publicKey.export({ type: 'spki', format: 'pem' }).toString(),
  };
}

/** A function `horn` for a destination `slipway` that delivers as is said. */
export function paperHarbour(destination: object = {}, keys: object = {}): string {
  const root = project({ 'horn.mjs': HORN }, { arch: ['x86_64'], destination: 'slipway', ...keys }, keyPair());
  const sheet = JSON.parse(readFileSync(join(root, 'emballage.yaml'), 'utf8')) as object;
  put(root, {
    'emballage.yaml': JSON.stringify({ ...sheet, destinations: { slipway: 'slipway.yaml' }, defaults: {} }),
    'slipway.yaml': place('slipway', { deliver: { folder: '.' }, accepts: { zip: {}, image: {} }, ...destination }),
  });
  return root;
}

export function done(root: string, ...args: readonly string[]): string {
  const outcome = run(root, args);
  expect(outcome).toMatchObject({ stderr: '', status: 0 });
  return outcome.stdout;
}

export function claims(root: string, ...args: readonly string[]): Record<string, boolean | 'unknown'> {
  const { stdout } = run(root, ['vouch', '--verify', ...args, '--json']);
  const { verified } = JSON.parse(stdout) as { verified: { claims: Claim[] }[] };
  return Object.fromEntries((verified[0]?.claims ?? []).map(({ what, holds }) => [what, holds]));
}

export const failing = (root: string, ...args: readonly string[]): string[] =>
  Object.entries(claims(root, ...args)).flatMap(([what, holds]) => (holds === true ? [] : [what]));

export const textOf = (root: string, ending: string): string => readFileSync(join(root, `${BASE}${ending}`), 'utf8');
