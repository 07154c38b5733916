/** Makes and reads waybills: what is in an artifact, where it comes from and why. Same inputs, same bytes. */
import { createHash } from 'node:crypto';
import { expectThings } from '../base/heap';
import { EmballageError } from '../base/errors';
import { contentDigest } from '../disk/digest';
import { DEFLATE_ENCODER } from '../formats/deflate';
import { renameEdges, type DependencyEdges } from '../fileset/edges';
import type {
  FileSet,
  LinkedModule,
  MissingImport,
  Overlap,
  SettingRead,
  PackedEntry,
  Reason,
  Trimmed,
  UnseenImport,
} from '../fileset/model';
import { inputsText, type Arch, type Entry, type FunctionSpec, type Known, type ByLanguage } from '../sheet';
import { edgeRows } from './edges';
import type { CarriedPackage, Waybill, WaybillFile } from './schema';

export interface WaybillFacts {
  readonly project: string;
  readonly spec: FunctionSpec;
  readonly arch: Arch;
  readonly fileSet: Pick<FileSet, 'entries'>;
  /** SHA-256 of each file, by path. */
  readonly digests: ReadonlyMap<string, string>;
  readonly artifact: {
    readonly file: string;
    readonly size: number;
    readonly sha256: string;
    readonly unpacked: number;
  };
  readonly packages: readonly CarriedPackage[];
  /** Names of packages left to the destination's runtime. */
  readonly provided: readonly string[];
  readonly trimmed: readonly Trimmed[];
  readonly overlaps: readonly Overlap[];
  /** What is the language's own. */
  readonly carried: ByLanguage<'carried'>;
  readonly unseen: readonly UnseenImport[];
  readonly missing: readonly MissingImport[];
  readonly modules: readonly LinkedModule[];
  readonly edges: DependencyEdges;
  /** What the host calls, where that is not the declared entry. */
  readonly hostEntry: Entry;
  /** The entry string in the destination's own form. */
  readonly host: string;
  readonly toolchains: readonly string[];
  /** Data that travels beside the artifact. */
  readonly beside: NonNullable<Waybill['beside']>;
  /** Settings that the code reads, where the artifact does not show it. */
  readonly settings: readonly SettingRead[];
  /** The time that entries carry, `1980-01-01 00:00:00`. */
  readonly time: string;
  /** Images: what they are made of, the layer of each path, and where the function's own paths are in them. */
  readonly laidOut?: {
    readonly image: NonNullable<Waybill['image']>;
    readonly layerOf: (path: string) => string;
    readonly placed: (path: string) => string;
  };
  /** Name and version of the tool. */
  readonly tool: string;
}

/** The waybill of an artifact: no trace of time or machine. */
export function makeWaybill(facts: WaybillFacts): Waybill {
  const { spec } = facts;
  const files = facts.fileSet.entries.map((entry) => ({
    ...describe(entry, facts.digests),
    ...(facts.laidOut !== undefined && { layer: facts.laidOut.layerOf(entry.path) }),
  }));
  return {
    waybill: 3,
    function: spec.name,
    project: facts.project,
    runtime: spec.runtime.text,
    arch: facts.arch,
    form: spec.form.id,
    destination: spec.destination,
    artifact: { ...facts.artifact, files: files.length },
    entry: {
      declared: spec.entry.text,
      loads: { file: facts.hostEntry.file, member: facts.hostEntry.member },
      host: facts.host,
    },
    settings: spec.settings.map(({ name, secret }) => ({ name, secret })),
    inputs: { function: contentDigest(inputsText(spec)), files: filesDigest(facts.fileSet, facts.digests) },
    made: {
      by: facts.tool,
      deflate: spec.form.isDeflated ? DEFLATE_ENCODER : 'none',
      time: facts.time,
      toolchains: [...facts.toolchains],
    },
    ...(facts.laidOut !== undefined && { image: facts.laidOut.image }),
    ...(facts.beside.length > 0 && { beside: facts.beside.map((one) => ({ ...one })) }),
    packages: [...facts.packages],
    provided: [...facts.provided],
    trim: spec.trim,
    overlaps: [...facts.overlaps],
    unseen: [...facts.unseen],
    missing: [...facts.missing],
    ...(facts.settings.length > 0 && { reads: facts.settings.map((read) => ({ ...read })) }),
    ...facts.carried,
    trimmed: [...facts.trimmed],
    modules: facts.modules.map(({ settings, packages, ...one }) => ({
      ...one,
      inside: { ...one.inside },
      reason: plainReason(one.reason),
      ...(settings !== undefined && { settings: settings.map((read) => ({ ...read })) }),
      ...(packages !== undefined && { packages: [...packages] }),
    })),
    files,
    ...edgeRows(
      facts.laidOut === undefined ? facts.edges : renameEdges(facts.edges, facts.laidOut.placed),
      files.map(({ path }) => path),
      facts.modules.map(({ path }) => path),
    ),
  };
}

/** Lists that are written one item a line, so that two waybills can be compared line by line. */
const LISTS = [
  'packages',
  'overlaps',
  'reads',
  'unseen',
  'missing',
  'trimmed',
  'modules',
  'files',
  'asks',
  'together',
] as const;

/** About what a file takes in a waybill. */
const LETTERS_OF_A_FILE = 200;
/** So much of a waybill is text at a time: that of many files would be there several times over. */
const BLOCK_LETTERS = 1024 * 1024;

/** The bytes of a waybill. */
export function formatWaybill(waybill: Waybill): Buffer {
  const head = Object.fromEntries(Object.entries(waybill).filter(([key]) => !LISTS.some((list) => list === key)));
  const blocks: Buffer[] = [];
  let open = JSON.stringify(head, null, 2).slice(0, -2);
  for (const key of LISTS) {
    const rows = waybill[key];
    if (rows === undefined) continue;
    open += `,\n  "${key}": [`;
    for (const [i, row] of rows.entries()) {
      open += `${i === 0 ? '' : ','}\n    ${JSON.stringify(row)}`;
      if (open.length < BLOCK_LETTERS) continue;
      blocks.push(Buffer.from(open));
      open = '';
    }
    open += rows.length === 0 ? ']' : '\n  ]';
  }
  return Buffer.concat([...blocks, Buffer.from(`${open}\n}\n`)]);
}

/** SHA-256 over paths, kinds, modes and contents, in order: what an archive's bytes depend on. */
export function filesDigest(fileSet: Pick<FileSet, 'entries'>, digests: ReadonlyMap<string, string>): string {
  const hash = createHash('sha256');
  let open = '';
  for (const entry of fileSet.entries) {
    open += `${entry.kind}\0${entry.path}\0${entry.mode.toString(8)}\0${digests.get(entry.path) ?? ''}\n`;
    // Many together, since hashing a line takes as long as hashing ten.
    if (open.length < BLOCK_LETTERS) continue;
    hash.update(open);
    open = '';
  }
  return hash.update(open).digest('hex');
}

export interface WaybillReading {
  /** Its name, for messages. */
  readonly shown: string;
  readonly languages: Pick<Known, 'all' | 'forms'>;
  /** Whether it is known to be as the format wants it; otherwise the schema library is loaded to see. */
  readonly isVerified: boolean;
}

/** Reads a waybill that lies beside an artifact. @throws EmballageError ARTIFACT_MIXED */
export async function readWaybill(text: string, { shown, languages, isVerified }: WaybillReading): Promise<Waybill> {
  const bad = (found: string, cause?: unknown): EmballageError =>
    new EmballageError(
      'ARTIFACT_MIXED',
      {
        doing: 'reading the waybill',
        where: shown,
        expected: 'a waybill of format 3',
        found,
        mend: 'build the function again',
      },
      cause,
    );
  expectThings(text.length / LETTERS_OF_A_FILE);
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch (cause) {
    throw bad('text that is no JSON', cause);
  }
  if (isVerified) return value as Waybill;
  const version = (value as { waybill?: unknown } | null)?.waybill;
  if (version === 1 || version === 2) throw bad('one of an earlier version of the tool');
  const { waybillSchema } = await import('./schema');
  const result = (await waybillSchema(languages)).safeParse(value);
  if (result.success) return value as Waybill;
  throw bad(`\`${result.error.issues[0]?.path.map(String).join('.') ?? ''}\` is not as the format wants it`);
}

function describe(entry: PackedEntry, digests: ReadonlyMap<string, string>): WaybillFile {
  const sha256 = digests.get(entry.path);
  const target = entry.kind === 'link' ? entry.target : undefined;
  return {
    path: entry.path,
    kind: entry.kind,
    mode: `0${entry.mode.toString(8)}`,
    size: entry.kind === 'file' ? entry.size : Buffer.byteLength(target ?? ''),
    ...(sha256 !== undefined && { sha256 }),
    ...(target !== undefined && { target }),
    origin: entry.origin,
    reason: plainReason(entry.reason),
  };
}

function plainReason(reason: Reason): WaybillFile['reason'] {
  return reason.why === 'needed' ? { ...reason, by: [...reason.by] } : reason;
}
