/** A function `horn` that is delivered to made-up destinations. */
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { sha256 } from './images';
import { project, put, run, type RunOptions } from './program';

const HORN = `export function sound({ data }, { name }) {
  console.error('sounding ' + process.env.PITCH);
  return { name, pitch: process.env.PITCH, token: (process.env.TOKEN ?? '').length, data };
}
`;

export interface Place {
  readonly deliver?: unknown;
  readonly [key: string]: unknown;
}

export function place(name: string, more: Place): string {
  return JSON.stringify({
    destination: name,
    arch: ['x86_64', 'arm64'],
    accepts: { zip: { packed: '1 MiB' }, beside: { packed: '1 KiB' } },
    runtimes: { 'node 20': {} },
    settings: { reserved: ['HOST_*'] },
    ...more,
  });
}

/** A function `horn` with settings and data beside it, and the destinations `trial` and `live`. */
export function harbour(
  trial: Place,
  live: Place = { deliver: { folder: 'live' } },
  keys: Readonly<Record<string, unknown>> = {},
): string {
  const root = project(
    { 'horn.mjs': HORN },
    {
      arch: ['x86_64'],
      destination: 'trial',
      settings: {
        PITCH: { sample: 'low', values: { trial: 'low', live: 'high' } },
        TOKEN: { secret: true, held: ['live'] },
      },
      beside: { tones: { file: 'tones.bin', setting: 'TONES' } },
      events: 'event.json',
      ...keys,
    },
    { 'event.json': '{ "n": 7.50 }', 'tones.bin': 'do re mi' },
  );
  const sheet = JSON.parse(readFileSync(join(root, 'emballage.yaml'), 'utf8')) as Record<string, object>;
  put(root, {
    'emballage.yaml': JSON.stringify({
      ...sheet,
      destinations: { trial: 'trial.yaml', live: 'live.yaml' },
      defaults: {},
    }),
    'trial.yaml': place('trial', trial),
    'live.yaml': place('live', live),
  });
  expect(run(root, ['build'])).toMatchObject({ stderr: '', status: 0 });
  return root;
}

export const WITH_TOKEN: RunOptions = { env: { TOKEN: 'hush-hush' } };
export const ARTIFACT = 'out/horn/x86_64/horn.zip';

export interface Sent {
  readonly what: string;
  readonly isSame: boolean;
  readonly drifts: readonly { readonly what: string }[];
  readonly blobs: readonly { readonly how: string }[];
  readonly delivery: {
    readonly version?: string;
    readonly from?: string;
    readonly locations: Readonly<Record<string, string>>;
    readonly beside?: Readonly<Record<string, { readonly location: string }>>;
  };
}

export function send(root: string, args: readonly string[] = [], options: RunOptions = WITH_TOKEN): Sent {
  const outcome = run(root, ['send', 'horn', ...args, '--json'], options);
  expect(outcome).toMatchObject({ stderr: '', status: 0 });
  const [sent] = (JSON.parse(outcome.stdout) as { sent: Sent[] }).sent;
  if (sent === undefined) throw new Error('nothing was sent');
  return sent;
}

export function refusal(root: string, args: readonly string[], options: RunOptions = WITH_TOKEN): string {
  const outcome = run(root, args, options);
  expect(outcome.status).toBeGreaterThan(0);
  expect(outcome.stderr).not.toContain('    at ');
  return outcome.stderr;
}

export const digestOf = (path: string): string => sha256(readFileSync(path));
/** The ledger as text; nothing where there is none. */
export const ledgerOf = (root: string): string =>
  existsSync(join(root, 'emballage.ledger')) ? readFileSync(join(root, 'emballage.ledger'), 'utf8') : '';
