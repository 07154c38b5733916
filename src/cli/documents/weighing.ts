/** What `weigh` and `why` say. */
import { z } from 'zod';
import { FORM_IDS } from '../../core/forms';
import { arch, chain, count } from './words';

const weight = { unpacked: count, packed: count };
const group = z.looseObject({ name: z.string(), files: count, ...weight });
const record = z.looseObject({ packed: count, unpacked: count, files: count });

const weighed = z.looseObject({
  name: z.string(),
  arch: z.string().optional(),
  artifact: z.string(),
  form: z.enum(FORM_IDS),
  total: z.looseObject(weight),
  files: count,
  origins: z.enum(['known', 'no-waybill', 'other-waybill']),
  /** Whether the packed weights of single parts are their shares of what was compressed together. */
  packedIsShared: z.boolean(),
  dependencies: z.array(
    group.extend({
      kind: z.enum(['own', 'package', 'made', 'base', 'frame', 'unknown']),
      /** What would go if it went, and what it leads to that others need too. */
      alone: z.looseObject(weight).optional(),
      shared: z.looseObject(weight).optional(),
      by: z.array(z.string()).optional(),
    }),
  ),
  /** Folders; packages of a JAR; sections of an executable. */
  places: z.array(group),
  kinds: z.array(group),
  sources: z.array(group).optional(),
  layers: z.array(group.extend({ wasted: count })).optional(),
  limits: z.array(
    z.looseObject({
      name: z.string(),
      used: count,
      allowed: count,
      unit: z.enum(['bytes', 'count']),
      by: z.string(),
    }),
  ),
  trimmed: z.array(z.looseObject({ package: z.string(), by: z.string(), size: count })),
  savings: z.array(
    z.looseObject({
      what: z.string(),
      about: z.string(),
      unpacked: z.number().optional(),
      line: z.string().optional(),
    }),
  ),
  parts: z.array(
    z.looseObject({
      path: z.string(),
      kind: z.enum(['code', 'native', 'data', 'metadata']),
      owner: z.string(),
      ...weight,
      inside: z.string().optional(),
      section: z.string().optional(),
      layer: z.string().optional(),
    }),
  ),
  /** With `--over`. */
  growth: z
    .looseObject({
      before: record,
      now: record,
      changes: z.array(z.looseObject({ name: z.string(), by: z.int() })),
    })
    .optional(),
});

export const weighing = {
  weigh: z.looseObject({
    weighed: z.array(weighed),
    /** With `--budget`: the file that they were recorded in. */
    recorded: z.string().optional(),
    /** With `--report`: the page. */
    report: z.string().optional(),
  }),
  why: z.looseObject({
    name: z.string(),
    arch,
    packages: z.array(
      z.looseObject({
        name: z.string(),
        version: z.string(),
        size: count,
        files: count,
        by: z.array(z.string()),
        chain,
        /** Who asks for which versions, as the lock has it. */
        asked: z.array(z.looseObject({ by: z.string(), as: z.string() })),
      }),
    ),
    files: z.array(z.looseObject({ path: z.string(), chain, chains: z.array(chain).optional() })),
    leftOut: z.array(
      z.looseObject({
        package: z.string(),
        by: z.string(),
        size: count,
        files: z.array(z.looseObject({ path: z.string(), size: count })),
        keep: z.array(z.string()),
      }),
    ),
  }),
} as const satisfies Readonly<Record<string, z.ZodType>>;
