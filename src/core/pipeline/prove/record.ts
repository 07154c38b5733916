/** Records of proofs: which surroundings gave which digests on one machine, to be held against those of others. */
import { lstatSync, readlinkSync } from 'node:fs';
import { join } from 'node:path';
import { z } from 'zod';
import { comparePaths } from '../../base/paths';
import { contentDigest, fileDigest } from '../../disk/digest';
import { verifyAgainstWaybill } from '../../project/verify-artifact';
import { readJsonRecord } from '../../project/json-record';
import { targetsOf, type Project } from '../../project/targets';
import type { FunctionSpec } from '../../sheet';
import type { Proof, ProofBuild } from './prove';

const sha256 = z.string().regex(/^[0-9a-f]{64}$/);
const target = z.strictObject({
  function: z.string(),
  arch: z.string(),
  artifact: sha256,
  waybill: sha256,
  toolchains: z.array(z.string()),
});

export const proofRecordSchema = z.strictObject({
  proof: z.literal(1),
  project: z.string(),
  /** Name and version of the tool. */
  tool: z.string(),
  machine: z.strictObject({
    arch: z.string(),
    system: z.string(),
    /** Of the runtime that ran us. */
    runtime: z.string(),
    glibc: z.string().nullable(),
  }),
  /** Of all files that the builds read. */
  source: sha256,
  targets: z.array(target),
  builds: z.array(
    z.strictObject({
      /** Variations that were on. */
      on: z.array(z.string()),
      /** Files whose bytes were others, with the digest that they had. */
      differs: z.array(
        z.strictObject({ function: z.string(), arch: z.string(), file: z.enum(['artifact', 'waybill']), sha256 }),
      ),
    }),
  ),
  /** Variations that this machine had no means for. */
  leftOut: z.array(z.string()),
});
export type ProofRecord = z.infer<typeof proofRecordSchema>;

export interface RecordContext {
  readonly project: Project;
  readonly functions: readonly FunctionSpec[];
  readonly tool: string;
  readonly machine: ProofRecord['machine'];
  /** What the builds read, relative to the project. */
  readonly files: readonly string[];
  readonly leftOut: readonly string[];
}

/** What a proof came to, to be held against that of another machine. */
export async function recordOfProof({ base, builds }: Proof, context: RecordContext): Promise<ProofRecord> {
  const { project, functions, tool, machine, files, leftOut } = context;
  const targets: ProofRecord['targets'] = [];
  for (const one of targetsOf(functions)) {
    const { made } = await verifyAgainstWaybill(project, one);
    const digests = base.find(({ name, arch }) => name === one.spec.name && arch === one.arch);
    const { artifact = '', waybill = '' } = digests ?? {};
    targets.push({
      function: one.spec.name,
      arch: one.arch,
      artifact,
      waybill,
      toolchains: [...made.toolchains],
    });
  }
  return {
    proof: 1,
    project: project.sheet.project,
    tool,
    machine,
    source: sourceDigest(project.root, files),
    targets,
    builds: [...builds].map(buildRecord).sort((a, b) => (a.on.join() < b.on.join() ? -1 : 1)),
    leftOut: [...leftOut],
  };
}

/** Of paths, what they hold, and whether it may be run. */
function sourceDigest(root: string, files: readonly string[]): string {
  const lines = [...files].sort(comparePaths).map((path) => {
    const at = join(root, path);
    const stat = lstatSync(at);
    if (stat.isSymbolicLink()) return `${path} -> ${readlinkSync(at)}`;
    return `${path} ${(stat.mode & 0o100) === 0 ? '' : 'x '}${fileDigest(at)}`;
  });
  return contentDigest(lines.join('\n'));
}

function buildRecord({ on, differs, digests }: ProofBuild): ProofRecord['builds'][number] {
  return {
    on: on.map(({ id }) => id),
    differs: differs.map(({ name, arch, file }) => {
      const own = digests.find((one) => one.name === name && one.arch === arch);
      return { function: name, arch, file, sha256: own?.[file] ?? '' };
    }),
  };
}

/** The bytes of a record: the same for the same proof. */
export function formatRecord(record: ProofRecord): string {
  return `${JSON.stringify(record, null, 2)}\n`;
}

/** @throws EmballageError RECORD_INVALID, FILE_MISSING */
export async function readProofRecord(path: string, shown: string): Promise<ProofRecord | undefined> {
  return readJsonRecord({
    path,
    shown,
    doing: 'reading the record of a proof',
    code: 'RECORD_INVALID',
    expected: 'a record of format 1, as `emballage prove --record` writes it',
    mend: 'record it anew on that machine',
    schema: () => Promise.resolve(proofRecordSchema),
  });
}

export interface RecordSide {
  readonly shown: string;
  readonly record: ProofRecord;
}

/** How one target came out in several records. */
export interface RecordsLine {
  readonly function: string;
  readonly arch: string;
  /** By record, in their order; undefined where it is not in there. */
  readonly digests: readonly (string | undefined)[];
  /** What is not the same in all records that have it; undefined where all is. */
  readonly differs: 'artifact' | 'waybill' | undefined;
  /** Why, where the records tell. */
  readonly because: 'source' | 'tool' | 'toolchains' | 'machine' | undefined;
}

/** Holds records against each other, target by target. */
export function compareRecords(sides: readonly RecordSide[]): RecordsLine[] {
  const keys = new Map(
    sides.flatMap(({ record }) => record.targets.map((one) => [`${one.function} ${one.arch}`, one] as const)),
  );
  return [...keys.values()].map(({ function: name, arch }): RecordsLine => {
    const found = sides.map(({ record }) => {
      const own = record.targets.find((one) => one.function === name && one.arch === arch);
      return own === undefined ? undefined : { own, record };
    });
    const there = found.flatMap((one) => one ?? []);
    const isOne = (of: (one: (typeof there)[number]) => string): boolean => new Set(there.map(of)).size <= 1;
    const differs = !isOne(({ own }) => own.artifact)
      ? 'artifact'
      : !isOne(({ own }) => own.waybill)
        ? 'waybill'
        : undefined;
    const because = (): RecordsLine['because'] => {
      if (!isOne(({ record }) => record.tool)) return 'tool';
      if (!isOne(({ own }) => own.toolchains.join())) return 'toolchains';
      return isOne(({ record }) => record.source) ? 'machine' : 'source';
    };
    return {
      function: name,
      arch,
      digests: found.map((one) => one?.own.artifact),
      differs,
      because: differs === undefined ? undefined : because(),
    };
  });
}
