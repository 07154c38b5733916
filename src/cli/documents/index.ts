/**
 * The documents of `--json`, command by command. Published as JSON Schemas of version 1: what is stated here stays, and more
 * may come beside it; a change of what is there gets a version of its own.
 */
import { FORM_IDS } from '../../core/forms';
import { z } from 'zod';
import { ledgerSchema, WAYS } from '../../core/pipeline/deliver';
import { DRIFTS } from '../../core/pipeline/survey';
import { lockSchema } from '../../core/project/lock/lock-schema';
import type { Known } from '../../core/sheet';
import { comparison, proof, vouched } from './proof';

export const OUTPUT_VERSION = 1;

const deliverySchema = ledgerSchema(WAYS.map(({ name }) => name)).shape.deliveries.element;
const count = z.int().nonnegative();
const arch = z.enum(['x86_64', 'arm64']);
const sha256 = z.string().regex(/^[0-9a-f]{64}$/);
const place = z.looseObject({ file: z.string(), line: count, column: count });

const problem = z.looseObject({ place, expected: z.string(), found: z.string(), mend: z.string() });

/** What a command says that could not do what it was asked for: exit codes 2, 3 and 4. */
const error = z.looseObject({
  error: z.looseObject({
    /** Stable; `FAULT` is a fault of the tool's own. */
    code: z.string(),
    doing: z.string(),
    where: z.string().optional(),
    expected: z.string().optional(),
    found: z.string(),
    mend: z.string(),
    problems: z.array(problem).optional(),
    details: z.array(z.string()).optional(),
  }),
});

const what = z.enum(['code', 'settings', 'both', 'nothing']);
/** What stands there otherwise than it is here. */
const drifts = z.array(z.looseObject({ what: z.string(), here: z.string(), there: z.string() }));

const failed = z.array(error.extend({ name: z.string() }));

const finding = z.looseObject({
  rule: z.string(),
  level: z.enum(['stop', 'warn', 'note']),
  where: z.string().optional(),
  expected: z.string(),
  found: z.string(),
  mend: z.string(),
  accepted: z.looseObject({ reason: z.string() }).optional(),
  endedAcceptance: z.looseObject({ reason: z.string() }).optional(),
});

const checked = z.looseObject({
  name: z.string(),
  arch: z.string().optional(),
  artifact: z.string(),
  destination: z.string(),
  rules: z.array(
    z.looseObject({
      id: z.string(),
      findings: z.array(finding),
      /** Facts for want of which the rule was not applied. */
      lacking: z.array(z.string()),
      gauge: z
        .looseObject({ used: z.number(), unit: z.enum(['bytes', 'count']), allowed: z.number(), by: z.string() })
        .optional(),
    }),
  ),
});

const chain = z.array(z.looseObject({ kind: z.enum(['file', 'package']), path: z.string(), line: z.int().optional() }));
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
      ...{ alone: z.looseObject(weight).optional(), shared: z.looseObject(weight).optional() },
      by: z.array(z.string()).optional(),
    }),
  ),
  /** Folders; packages of a JAR; sections of an executable. */
  ...{ places: z.array(group), kinds: z.array(group), sources: z.array(group).optional() },
  layers: z.array(group.extend({ wasted: count })).optional(),
  limits: z.array(
    z.looseObject({
      ...{ name: z.string(), used: count, allowed: count, unit: z.enum(['bytes', 'count']), by: z.string() },
    }),
  ),
  trimmed: z.array(z.looseObject({ package: z.string(), by: z.string(), size: count })),
  savings: z.array(
    z.looseObject({
      ...{ what: z.string(), about: z.string() },
      ...{ unpacked: z.number().optional(), line: z.string().optional() },
    }),
  ),
  parts: z.array(
    z.looseObject({
      ...{ path: z.string(), kind: z.enum(['code', 'native', 'data', 'metadata']), owner: z.string(), ...weight },
      ...{ inside: z.string().optional(), section: z.string().optional(), layer: z.string().optional() },
    }),
  ),
  /** With `--over`. */
  growth: z
    .looseObject({
      ...{ before: record, now: record },
      changes: z.array(z.looseObject({ name: z.string(), by: z.int() })),
    })
    .optional(),
});

const built = z.looseObject({
  name: z.string(),
  arch,
  status: z.enum(['unchanged', 'same', 'stored', 'built', 'fetched']),
  /** Relative to the project. */
  artifact: z.string(),
  waybill: z.string(),
  archive: z.string().optional(),
  size: count,
  unpacked: count,
  files: count,
  sha256,
  trimmed: count,
});

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

const option = z.looseObject({ name: z.string(), type: z.enum(['string', 'number', 'boolean']), about: z.string() });
const commandHead = { name: z.string(), usage: z.string(), summary: z.string() };

const surveyed = {
  ...{ folders: count, files: count, written: z.array(z.string()) },
  /** What was passed over, and why. */
  notes: z.array(z.looseObject({ where: z.string(), text: z.string() })),
};

const plain: Readonly<Record<string, z.ZodType>> = {
  error,
  version: z.looseObject({ version: z.string(), code: z.string(), runtime: z.string(), system: z.string() }),
  help: z.union([
    z.looseObject({ version: z.string(), commands: z.array(z.looseObject(commandHead)), options: z.array(option) }),
    z.looseObject({
      ...commandHead,
      about: z.string(),
      options: z.array(option),
      examples: z.array(z.looseObject({ args: z.string(), does: z.string() })),
    }),
  ]),
  survey: z.discriminatedUnion('status', [
    z.looseObject({
      status: z.literal('proposed'),
      ...surveyed,
      functions: z.array(
        z.looseObject({
          ...{ name: z.string(), source: z.string(), runtime: z.string(), artifact: z.string() },
          /** The likeliest first. */
          entries: z.array(z.looseObject({ entry: z.string(), why: z.string() })),
          /** What has to be done before it can be locked or built. */
          lacking: z.array(z.string()),
        }),
      ),
      /** Files as `--write` keeps them; paths relative to the folder. */
      texts: z.array(z.looseObject({ path: z.string(), text: z.string() })),
    }),
    z.looseObject({
      status: z.literal('compared'),
      ...surveyed,
      sheet: z.string(),
      drifts: z.array(
        z.looseObject({
          drift: z.enum(DRIFTS),
          level: z.enum(['stop', 'warn', 'note']),
          ...{
            name: z.string(),
            where: z.string().optional(),
            expected: z.string(),
            found: z.string(),
            mend: z.string(),
          },
          /** Whether `--write` can make the change, and has. */
          ...{ inPlace: z.boolean(), made: z.boolean() },
        }),
      ),
    }),
  ]),
  build: z.looseObject({
    ...{ targets: z.array(built), hashed: count, packed: count, failed },
    /** Where results are shared with other machines: how many came, went, and were refused. */
    store: z.looseObject({ at: z.string(), fetched: count, sent: count, refused: count }).optional(),
  }),
  check: z.looseObject({
    fit: z.boolean(),
    artifacts: z.array(checked),
    /** With `--there`. */
    there: z.array(z.looseObject({ name: z.string(), destination: z.string(), what, drifts })).optional(),
  }),
  vouch: vouched,
  event: z.looseObject({ name: z.string(), kind: z.enum(['request', 'data', 'cloudevent']), event: z.unknown() }),
  weigh: z.looseObject({
    weighed: z.array(weighed),
    /** With `--budget`: the file that they were recorded in. */
    recorded: z.string().optional(),
    /** With `--report`: the page. */
    report: z.string().optional(),
  }),
  compare: comparison,
  why: z.looseObject({
    name: z.string(),
    arch,
    packages: z.array(
      z.looseObject({
        ...{ name: z.string(), version: z.string(), size: count, files: count, by: z.array(z.string()), chain },
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
  try: z.looseObject({
    name: z.string(),
    /** Of what was called here; with `--there` the destination. */
    ...{ arch: arch.optional(), destination: z.string().optional() },
    failed: count,
    calls: z.array(called),
    cut: z.array(z.unknown()),
  }),
  prove: proof,
  send: z.looseObject({
    /** Whether all of them fit; nothing was sent otherwise. */
    fit: z.boolean(),
    sent: z.array(
      z.union([
        z.looseObject({ delivery: deliverySchema, what, drifts, blobs: z.array(z.unknown()), isSame: z.boolean() }),
        /** With `--dry-run`. */
        z.looseObject({ name: z.string(), destination: z.string(), what, drifts }),
      ]),
    ),
  }),
  log: z.looseObject({
    name: z.string(),
    destination: z.string(),
    lines: z.array(z.looseObject({ time: z.string(), run: z.string(), version: z.string(), line: z.string() })),
  }),
  fill: z.looseObject({
    stale: z.boolean(),
    filled: z.array(z.looseObject({ file: z.string(), at: z.string(), before: z.string(), now: z.string() })),
  }),
  ledger: z.looseObject({
    ledger: z.string(),
    deliveries: z.array(deliverySchema.extend({ moved: z.array(z.string()) })),
  }),
  recall: z.looseObject({
    recalled: z.array(
      z.looseObject({
        delivery: deliverySchema,
        ...{ deleted: z.array(z.string()), kept: z.array(z.string()), tagsLeft: z.array(z.string()) },
        ...{ referrers: z.array(z.string()), unknownTags: z.array(z.string()) },
      }),
    ),
  }),
  tidy: z.looseObject({
    dryRun: z.boolean(),
    removed: z.array(z.looseObject({ kind: z.string(), why: z.string(), things: count, bytes: count })),
    leftBytes: count,
    /** With `--shared`. */
    shared: z.looseObject({ at: z.string(), results: count, bytes: count, leftBytes: count }).optional(),
  }),
  rules: z.looseObject({
    rules: z.array(
      z.looseObject({
        ...{ id: z.string(), level: z.enum(['stop', 'warn', 'note']), title: z.string(), why: z.string() },
        ...{ mend: z.string(), needs: z.array(z.string()) },
      }),
    ),
  }),
  toolchains: z.looseObject({
    emulators: z.array(z.looseObject({ arch, path: z.string() })),
    functions: z.array(
      z.looseObject({
        name: z.string(),
        runtime: z.string(),
        found: z.boolean(),
        path: z.string().nullable(),
        mend: z.string(),
      }),
    ),
  }),
  'stand-in': z.union([
    z.looseObject({ host: z.string() }),
    z.looseObject({ url: z.string(), projects: z.array(z.string()), files: count }),
  ]),
  demo: z.looseObject({ folder: z.string(), steps: count, unexpected: z.array(z.string()) }),
};

/** By command; `error`, `version` and `help` beside them. */
export async function outputSchemas(known: Pick<Known, 'all' | 'forms'>): Promise<Readonly<Record<string, z.ZodType>>> {
  const lock = (await lockSchema(known)).shape;
  const settled = lock.functions.valueType.shape;
  const base = lock.bases.unwrap().valueType;
  return {
    ...plain,
    lock: z.looseObject({
      functions: z.array(
        z.looseObject({
          name: z.string(),
          status: z.enum(['unchanged', 'settled', 'no-needs']),
          targets: settled.targets,
          sources: z.array(z.looseObject({ at: z.string(), why: z.string() })),
          notes: z.array(z.string()),
          changes: z.array(
            z.looseObject({
              name: z.string(),
              arch: z.string(),
              before: z.string().optional(),
              after: z.string().optional(),
            }),
          ),
          base: base.optional(),
        }),
      ),
      failed,
    }),
  };
}
