/** The shape of a waybill. Published as a JSON Schema; format version 1. */
import { z } from 'zod';

const digest = z
  .string()
  .regex(/^[0-9a-f]{64}$/)
  .meta({ description: 'SHA-256 in hexadecimal.' });

const reason = z.discriminatedUnion('why', [
  z.strictObject({ why: z.literal('entry') }),
  z.strictObject({ why: z.literal('in-source') }),
  z.strictObject({ why: z.literal('kept'), by: z.string().meta({ description: 'The `keep` pattern.' }) }),
  z.strictObject({
    why: z.literal('through-link'),
    by: z.string().meta({ description: 'The link that leads to it.' }),
  }),
]);

const file = z.strictObject({
  path: z.string(),
  kind: z.enum(['file', 'link', 'folder']),
  mode: z
    .string()
    .regex(/^0[0-7]{3}$/)
    .meta({ description: 'Permission bits, octal.' }),
  size: z.int().nonnegative().meta({ description: 'Bytes, unpacked.' }),
  sha256: digest.optional().meta({ description: 'Of the content; of a link’s target. Folders have none.' }),
  target: z.string().optional().meta({ description: 'What a link points to.' }),
  origin: z.strictObject({
    from: z.literal('source'),
    at: z.string().meta({ description: 'Path from the project folder.' }),
  }),
  reason,
});

export const waybillSchema = z
  .strictObject({
    waybill: z.literal(1).meta({ description: 'Version of this format.' }),
    function: z.string(),
    project: z.string(),
    runtime: z.string(),
    arch: z.enum(['x86_64', 'arm64']),
    form: z.enum(['zip']),
    destination: z.string(),
    artifact: z.strictObject({
      file: z.string().meta({ description: 'Name of the artifact, which lies beside the waybill.' }),
      size: z.int().nonnegative(),
      sha256: digest,
      unpacked: z.int().nonnegative(),
      files: z.int().nonnegative().meta({ description: 'Entries of the artifact.' }),
    }),
    entry: z.strictObject({
      declared: z.string().meta({ description: 'As in the packing sheet.' }),
      host: z.string().meta({ description: 'In the destination’s own form: what to tell the host.' }),
    }),
    settings: z
      .array(z.strictObject({ name: z.string(), secret: z.boolean() }))
      .meta({ description: 'Declared settings, without values.' }),
    inputs: z.strictObject({
      function: digest.meta({ description: 'Of what the sheet says about the function, settled.' }),
      files: digest.meta({ description: 'Of all packed files: their paths, modes and contents.' }),
    }),
    made: z.strictObject({
      by: z.string().meta({ description: 'The tool and its version.' }),
      deflate: z.string().meta({ description: 'The encoder whose output the artifact holds.' }),
      time: z.string().meta({ description: 'The time that entries carry, UTC.' }),
      toolchains: z.array(z.string()),
    }),
    files: z.array(file),
  })
  .meta({ title: 'Emballage waybill' });

export type Waybill = z.output<typeof waybillSchema>;
export type WaybillFile = Waybill['files'][number];
