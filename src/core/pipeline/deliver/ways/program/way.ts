/** Delivers by a program of the team's own: JSON on its standard input, JSON back. So any platform is reached. */
import type { DeliveryWorld } from '../way';
import { FORM_IDS } from '../../../../forms';
import { join } from 'node:path';
import { z } from 'zod';
import { EmballageError, messageOf, systemCode } from '../../../../base/errors';
import { jsonOf } from '../../../../base/json';
import { printable } from '../../../../base/text';
import { formatSize, formatTime } from '../../../../base/units';
import { PAPER_KINDS } from '../../../../project/papers';
import { runProgram, type ProgramEnd } from '../../../../toolchains/run-program';
import type { Delivery } from '../../ledger';
import { configurationDigest, digestOfAll, type Configuration, type Payload } from '../../payload';
import { digestDrifts, filesOf, sentBlob } from '../files';
import {
  NOTHING_LEFT,
  type Drift,
  type Fetched,
  type DeliveryStatus,
  type Placed,
  type TakenBack,
  type Way,
} from '../way';

const MOST_OUTPUT_BYTES = 1024 * 1024;
const SHOWN_LINES = 12;

const digest = z.string().meta({ description: 'SHA-256 in hexadecimal.' });
const file = { path: z.string().meta({ description: 'Absolute path.' }), sha256: digest, size: z.int() };

/** What the program gets. */
export const programRequest = z
  .strictObject({
    delivery: z.literal(1).meta({ description: 'Version of this format.' }),
    do: z.enum(['send', 'recall']),
    function: z.string(),
    destination: z.string(),
    what: z
      .enum(['code', 'settings', 'both'])
      .optional()
      .meta({ description: '`send`: what differs from what was sent last.' }),
    form: z.enum(FORM_IDS).optional(),
    artifacts: z
      .array(
        z.strictObject({
          arch: z.enum(['x86_64', 'arm64']),
          ...file,
          waybill: z.string(),
          papers: z.partialRecord(z.enum(PAPER_KINDS), z.string()).optional(),
        }),
      )
      .optional()
      .meta({ description: 'An image is the archive of a layout; its digest is that of its manifest.' }),
    beside: z.array(z.strictObject({ name: z.string(), setting: z.string(), ...file })).optional(),
    runtime: z.string().optional(),
    entry: z.string().optional().meta({ description: 'In the destination’s own form.' }),
    memory: z.int().optional().meta({ description: 'Bytes.' }),
    timeout: z.int().optional().meta({ description: 'Milliseconds.' }),
    settings: z.record(z.string(), z.string()).optional().meta({ description: 'Values that are no secrets.' }),
    secrets: z
      .array(z.string())
      .optional()
      .meta({ description: 'Names of secrets; their values are in the program’s environment.' }),
    held: z.array(z.string()).optional().meta({ description: 'Names of settings that the destination has.' }),
    version: z.string().optional().meta({ description: '`recall`: what the program called it.' }),
    locations: z.record(z.string(), z.string()).optional(),
  })
  .meta({ title: 'Emballage delivery request' });

const text = z.string().min(1).max(4096);

/** What it answers. */
export const programAnswer = z
  .strictObject({
    location: text.meta({ description: 'Where it is to be found.' }).optional(),
    locations: z.record(z.string(), text).optional().meta({ description: 'The same for each architecture.' }),
    version: text.optional().meta({ description: 'What the platform calls it.' }),
    beside: z.record(z.string(), text).optional().meta({ description: 'Where data beside the artifact lies.' }),
  })
  .meta({ title: 'Emballage delivery answer' });

type Request = z.input<typeof programRequest>;

export interface ProgramOptions {
  readonly command: readonly string[];
  readonly timeMs: number;
  /** Absolute path of the project folder, in which it runs. */
  readonly root: string;
  readonly env: Readonly<Record<string, string | undefined>>;
}

export class ProgramWay implements Way {
  readonly name = 'program';
  readonly isTold = true;
  readonly at: string;
  readonly #options: ProgramOptions;

  constructor(options: ProgramOptions) {
    this.#options = options;
    this.at = options.command.join(' ');
  }

  /** What the ledger knows; the platform itself is asked nothing. */
  look(payload: Payload, last: Delivery | undefined): Promise<DeliveryStatus> {
    const code = digestDrifts(payload, last);
    const own = configurationDigest(payload.configuration);
    const settings: Drift[] =
      last?.configuration === own
        ? []
        : [{ what: 'configuration', here: own.slice(0, 19), there: last?.configuration?.slice(0, 19) ?? 'nothing' }];
    const what =
      code.length > 0 ? (settings.length > 0 ? 'both' : 'code') : settings.length > 0 ? 'settings' : 'nothing';
    return Promise.resolve({ what, drifts: [...code, ...settings] });
  }

  async send(payload: Payload, look: DeliveryStatus): Promise<Placed> {
    const { configuration } = payload;
    const doing = `sending ${payload.name} with \`${printable(this.at)}\``;
    const answer = await this.#ask(doing, requestOf(payload, look), configuration.secrets);
    const { location, locations, version, beside } = answer;
    const files = filesOf(payload);
    const where = (arch: string): string => locations?.[arch] ?? location ?? '';
    if (payload.parts.some(({ arch }) => where(arch) === ''))
      throw this.#bad(doing, '`location`, or `locations` for each architecture', 'neither');
    return {
      digest: digestOfAll(payload.parts),
      locations: Object.fromEntries(payload.parts.map(({ arch }) => [arch, where(arch)])),
      ...(payload.beside.length > 0 && {
        beside: Object.fromEntries(
          payload.beside.map(({ name, sha256 }) => [
            name,
            { digest: `sha256:${sha256}`, location: beside?.[name] ?? location ?? '' },
          ]),
        ),
      }),
      ...(version !== undefined && { version }),
      blobs: look.what === 'settings' ? [] : files.map((one) => sentBlob(one, 'sent')),
    };
  }

  fetch(delivery: Delivery): Promise<Fetched> {
    return Promise.reject(
      new EmballageError('USAGE', {
        doing: `fetching ${delivery.function} from ${delivery.destination}`,
        expected: 'a destination that gives back what it was sent',
        found: 'one that a program delivers to, which is only told what to take',
        mend: 'send from another destination, or send what is built: leave `--from` out',
      }),
    );
  }

  async takeBack({ function: name, destination, version, locations, artifacts }: Delivery): Promise<TakenBack> {
    const request: Request = {
      delivery: 1,
      do: 'recall',
      function: name,
      destination,
      locations,
      ...(version !== undefined && { version }),
    };
    await this.#ask(`recalling ${name} with \`${printable(this.at)}\``, request, {});
    return { ...NOTHING_LEFT, deleted: [version ?? Object.values(artifacts)[0] ?? ''] };
  }

  async #ask(
    doing: string,
    request: Request,
    secrets: Configuration['secrets'],
  ): Promise<z.output<typeof programAnswer>> {
    const { command, timeMs, root, env } = this.#options;
    const [word = '', ...args] = command;
    const program = word.includes('/') && !word.startsWith('/') ? join(root, word) : word;
    const end = await runProgram({
      program,
      args,
      cwd: root,
      env: { ...env, ...secrets },
      maxBytes: MOST_OUTPUT_BYTES,
      input: `${JSON.stringify(request)}\n`,
      patienceMs: timeMs,
    }).catch((error: unknown) => {
      throw cannotStart(doing, word, error);
    });
    if (end.code !== 0)
      throw new EmballageError('DELIVERY_REFUSED', {
        doing,
        expected: 'it to end with exit code 0',
        found: howItEnded(end, timeMs),
        mend: 'mend what it says; what it did at the platform is its own to undo',
        details: withoutSecrets(end.stderr, secrets).trim().split('\n').slice(-SHOWN_LINES).map(printable),
      });
    const read = programAnswer.safeParse(jsonOf(end.stdout));
    if (read.success) return read.data;
    const [issue] = read.error.issues;
    const where = issue?.path.map(String).join('.') ?? '';
    throw this.#bad(
      doing,
      'one JSON object as `schemas/delivery-answer.schema.json` has it',
      where === '' ? 'something else on its standard output' : `\`${printable(where)}\`, which is not so`,
    );
  }

  #bad(doing: string, expected: string, found: string): EmballageError {
    return new EmballageError('DELIVERY_INVALID', { doing, expected, found, mend: 'mend the program' });
  }
}

function requestOf(
  { name, form, destination, parts, beside, configuration }: Payload,
  { what }: DeliveryStatus,
): Request {
  const { runtime, entry, memoryBytes, timeoutMs, settings, secrets, held } = configuration;
  return {
    delivery: 1,
    do: 'send',
    function: name,
    destination: destination.name,
    form: form.id,
    what: what === 'nothing' ? 'both' : what,
    artifacts: parts.map(({ arch, path, sha256, size, waybill, papers }) => ({
      arch,
      path,
      sha256,
      size,
      waybill: waybill.path,
      ...(papers.length > 0 && { papers: Object.fromEntries(papers.map((one) => [one.kind, one.path])) }),
    })),
    beside: beside.map(({ name: own, setting, path, sha256, size }) => ({ name: own, setting, path, sha256, size })),
    runtime,
    entry,
    memory: memoryBytes,
    timeout: timeoutMs,
    settings,
    secrets: Object.keys(secrets).sort(),
    held: [...held].sort(),
  };
}

function howItEnded({ code, signal, ended }: ProgramEnd, timeMs: number): string {
  if (ended === 'too-long') return `it was still at it after ${formatTime(timeMs)}, and was ended`;
  if (ended === 'too-much') return `it wrote more than ${formatSize(MOST_OUTPUT_BYTES)}, and was ended`;
  return code === undefined ? `it was ended by ${signal ?? 'a signal'}` : `exit code ${String(code)}`;
}

function cannotStart(doing: string, word: string, error: unknown): EmballageError {
  const facts = {
    doing,
    where: printable(word),
    expected: 'a program that can be started',
    found: systemCode(error) === 'ENOENT' ? 'none of that name' : messageOf(error),
    mend: 'correct `deliver: { program: … }` in the destination, or make it executable',
  };
  return new EmballageError('TOOLCHAIN_MISSING', facts, error);
}

/** What a program says may repeat what it was given. */
function withoutSecrets(said: string, secrets: Configuration['secrets']): string {
  return Object.entries(secrets)
    .filter(([, value]) => value.length > 0)
    .reduce((rest, [name, value]) => rest.replaceAll(value, `(${name})`), said);
}

/** The way by a program of the team's own, which runs in the project folder. */
export function openProgram(
  { project, env }: DeliveryWorld,
  { command, timeMs }: Pick<ProgramOptions, 'command' | 'timeMs'>,
): Way {
  return new ProgramWay({ command, timeMs, root: project.root, env });
}
