/**
 * The protocol of hosts of functions: HTTP and JSON, version 1. `schemas/host.openapi.json` is made of these shapes; the
 * stand-in host and whoever sends to a host read and write them.
 */
import { FORM_IDS } from '../../forms';
import { z } from 'zod';

/** Where everything lies below the host’s address. */
export const PREFIX = '/v1';

const hex = z
  .string()
  .regex(/^[0-9a-f]{64}$/)
  .meta({ description: 'SHA-256 in hexadecimal.' });
const name = z.string().regex(/^[a-z0-9](?:[a-z0-9-]{0,61}[a-z0-9])?$/);
const settingName = z.string().regex(/^[A-Za-z_]\w*$/);
export const versionName = z
  .string()
  .regex(/^[A-Za-z0-9][A-Za-z0-9.-]{0,63}$/)
  .meta({ description: 'Chosen by who puts it, once for each.' });

const content = { sha256: hex, size: z.int().nonnegative() };

const common = {
  form: z.enum(FORM_IDS),
  artifacts: z
    .partialRecord(z.enum(['x86_64', 'arm64']), z.strictObject({ ...content, waybill: hex }))
    .meta({ description: 'The artifact for each architecture, and its waybill: content that was put before.' }),
  beside: z
    .record(name, z.strictObject({ ...content, setting: settingName }))
    .meta({ description: 'Data beside the artifact; the setting gets the path where it lies.' }),
  runtime: z.string().meta({ description: '`node 20`.' }),
  entry: z.string().meta({ description: 'In the destination’s own form.' }),
  loads: z
    .strictObject({ file: z.string(), member: z.string() })
    .meta({ description: 'The file of the artifact that is loaded, and the member that is called.' }),
  memory: z.int().positive().meta({ description: 'Bytes.' }),
  timeout: z.int().positive().meta({ description: 'Milliseconds.' }),
  adapter: z.string().optional(),
  shape: z.string().optional(),
};

/** A version as it is put. */
export const versionText = z
  .strictObject({
    ...common,
    settings: z
      .record(settingName, z.union([z.strictObject({ value: z.string() }), z.strictObject({ secret: z.string() })]))
      .meta({ description: 'Values; those of secrets are never given back.' }),
    held: z.array(settingName).meta({ description: 'Settings whose values the host has already.' }),
  })
  .meta({ title: 'Version', description: 'Artifacts and everything that a host is told of them.' });

const seal = z
  .strictObject({ salt: z.string(), scrypt: z.string() })
  .meta({ description: 'scrypt (RFC 7914) of a secret, N = 16384, r = 8, p = 1, 32 bytes; both in base64.' });

/** A version as it is told. */
export const versionTold = z
  .strictObject({
    ...common,
    settings: z.record(
      settingName,
      z.union([
        z.strictObject({ value: z.string() }),
        z.strictObject({ seal }),
        z.strictObject({ held: z.literal(true) }),
      ]),
    ),
  })
  .meta({ title: 'VersionTold', description: 'A version without what is secret.' });

/** What stands of a function. */
export const functionTold = z
  .strictObject({
    function: name,
    current: z.strictObject({ version: versionName, told: versionTold }).optional(),
    address: z.string().optional().meta({ description: 'Where it is called by HTTP.' }),
    versions: z
      .array(z.strictObject({ version: versionName, put: z.string().meta({ description: 'RFC 3339.' }) }))
      .meta({ description: 'The newest first.' }),
  })
  .meta({ title: 'Function' });

export const currentText = z.strictObject({ version: versionName }).meta({ title: 'Current' });

export const callText = z
  .strictObject({ name: z.string(), event: z.looseObject({}).meta({ description: 'A CloudEvent in JSON.' }) })
  .meta({ title: 'Call' });

/** What came of a call. */
export const callTold = z
  .strictObject({
    run: z.string(),
    version: versionName,
    answer: z.union([
      z.strictObject({ kind: z.literal('answered'), json: z.string(), nothing: z.boolean() }),
      z.strictObject({ kind: z.literal('failed'), failure: z.looseObject({ kind: z.string() }) }),
    ]),
    cold: z.boolean(),
    startMs: z.number(),
    callMs: z.number(),
    peakBytes: z.number(),
    log: z.strictObject({ lines: z.array(z.string()), droppedBytes: z.int() }),
  })
  .meta({ title: 'CallTold' });

export const logTold = z
  .strictObject({
    lines: z.array(
      z.strictObject({
        time: z.string().meta({ description: 'RFC 3339.' }),
        run: z.string(),
        version: versionName,
        line: z.string(),
      }),
    ),
    next: z.int().nonnegative().meta({ description: 'What to ask for `after` to get what comes later.' }),
  })
  .meta({ title: 'Log' });

export const about = z
  .strictObject({ protocol: z.literal(1), destination: z.string() })
  .meta({ title: 'About', description: 'What speaks here.' });

export const problem = z
  .looseObject({ title: z.string(), detail: z.string().optional(), status: z.int() })
  .meta({ title: 'Problem', description: 'Why not (RFC 9457).' });

export type VersionText = z.output<typeof versionText>;
export type VersionResult = z.output<typeof versionTold>;
export type FunctionStatus = z.output<typeof functionTold>;
export type CallTold = z.output<typeof callTold>;
export type LogResult = z.output<typeof logTold>;

/** Cost of a seal (RFC 7914, 2). */
export const SEAL = { N: 16_384, r: 8, p: 1, bytes: 32 } as const;
