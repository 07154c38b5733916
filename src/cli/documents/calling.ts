/** What `try`, `event` and `log` say. */
import { z } from 'zod';
import { arch, count } from './words';

const answer = z.discriminatedUnion('kind', [
  z.looseObject({ kind: z.literal('answered'), json: z.string(), nothing: z.boolean() }),
  z.looseObject({ kind: z.literal('failed'), failure: z.looseObject({ kind: z.string() }) }),
]);

const called = z.looseObject({
  event: z.string(),
  answer,
  cold: z.boolean(),
  startMs: z.number(),
  callMs: z.number(),
  log: z.looseObject({ lines: z.array(z.string()), droppedBytes: count }),
  peakBytes: count.optional(),
});

export const calling = {
  event: z.looseObject({ name: z.string(), kind: z.enum(['request', 'data', 'cloudevent']), event: z.unknown() }),
  try: z.looseObject({
    name: z.string(),
    /** Of what was called here; with `--there` the destination. */
    arch: arch.optional(),
    destination: z.string().optional(),
    failed: count,
    calls: z.array(called),
    cut: z.array(z.unknown()),
  }),
  log: z.looseObject({
    name: z.string(),
    destination: z.string(),
    lines: z.array(z.looseObject({ time: z.string(), run: z.string(), version: z.string(), line: z.string() })),
  }),
} as const satisfies Readonly<Record<string, z.ZodType>>;
