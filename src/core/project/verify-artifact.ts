/** Artifacts and their waybills: whether what lies there is what was built. */
import { readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { EmballageError, systemCode } from '../base/errors';
import { readTextFile } from '../disk/read-text';
import { contentDigest, fileDigest } from '../disk/digest';
import { sameStamp, stampOf, type Stamp } from '../disk/stamp';
import type { FormFacts, Known } from '../sheet';
import { readWaybill, type Waybill } from '../waybill';
import { isVerified, noteVerified } from './verified';
import { artifactPath, waybillPath, type Project, type Target } from './targets';

/**
 * What an artifact is known by, SHA-256 in hexadecimal: the digest of its file, or what its form says.
 * @param path absolute
 * @param shown its name for messages
 */
export async function artifactDigest(path: string, shown: string, form: FormFacts): Promise<string> {
  return form.digest === undefined ? digestOnce(path) : form.digest(path, shown);
}

/** A file that looks as it did when this process read it is not read again. */
const hashed = new Map<string, { readonly stamp: Stamp; readonly digest: string }>();

function digestOnce(path: string): string {
  const stamp = stampOf(statSync(path));
  const known = hashed.get(path);
  if (known !== undefined && sameStamp(known.stamp, stamp)) return known.digest;
  const digest = fileDigest(path);
  hashed.set(path, { stamp, digest });
  return digest;
}

/**
 * The waybill of a target, whose artifact is there and is the one that it describes.
 * @throws EmballageError ARTIFACT_MISSING or ARTIFACT_MIXED
 */
export async function verifyAgainstWaybill(project: Project, target: Target): Promise<Waybill> {
  const { text, digest } = await readBoth(project, target);
  const own = contentDigest(text);
  const known = isVerified(project.state, own);
  const reading = { shown: waybillPath(target), languages: project.languages, isVerified: known };
  const waybill = await readWaybill(text, reading);
  if (!known) noteVerified(project.state, own);
  if (waybill.artifact.sha256 === digest) return waybill;
  throw mixed(target, waybill.artifact.sha256, digest);
}

/**
 * The same for an artifact by hand.
 * @param path absolute path of the artifact
 * @param at and of its waybill
 * @throws EmballageError ARTIFACT_MIXED
 */
export async function verifyPair(
  path: string,
  shown: string,
  at: string,
  languages: Pick<Known, 'all' | 'forms'>,
): Promise<Waybill> {
  const { value: waybill } = await readWaybillFile({ path: at, shown: at }, languages);
  const digest = await artifactDigest(path, shown, formIn(languages, waybill));
  if (waybill.artifact.sha256 === digest) return waybill;
  throw new EmballageError('ARTIFACT_MIXED', {
    doing: 'looking at the waybill beside the artifact',
    where: shown,
    expected: `the artifact of its waybill, SHA-256 ${waybill.artifact.sha256}`,
    found: `another, SHA-256 ${digest}`,
    mend: 'build it again, or take the waybill away',
  });
}

/** The form of a waybill. @throws Error for one that its schema would not have let pass */
function formIn({ forms }: Pick<Known, 'forms'>, { form }: Pick<Waybill, 'form'>): FormFacts {
  const found = forms.find(({ id }) => id === form);
  if (found === undefined) throw new Error(`no form ${form}`);
  return found;
}

export interface WaybillFile {
  readonly value: Waybill;
  readonly text: string;
}

/** A waybill that lies somewhere, held against its format. @throws EmballageError ARTIFACT_MIXED, or what reading it throws */
export async function readWaybillFile(
  { path, shown }: { readonly path: string; readonly shown: string },
  languages: Pick<Known, 'all' | 'forms'>,
): Promise<WaybillFile> {
  const doing = 'reading the waybill';
  const text = readTextFile(path, { doing, shown, maxBytes: MAX_WAYBILL_BYTES, mendMissing: 'build it again' });
  return { value: await readWaybill(text, { shown, languages, isVerified: false }), text };
}

/** Larger ones are of no artifact that could be delivered. */
const MAX_WAYBILL_BYTES = 1024 ** 3;

/** What stands in a waybill before its lists of packages and files. */
export type WaybillHead = Pick<Waybill, 'artifact' | 'entry' | 'beside'>;

/**
 * The same without reading all of the waybill, which of a large artifact takes longer than sending a small one.
 * @throws EmballageError ARTIFACT_MISSING or ARTIFACT_MIXED
 */
export async function verifyArtifact(project: Project, target: Target): Promise<WaybillHead> {
  const { text, digest } = await readBoth(project, target);
  const head = headOf(text);
  const stated = head?.artifact.sha256 ?? 'none';
  if (head === undefined || stated !== digest) throw mixed(target, stated, digest);
  return head;
}

/** What is asked of it; the whole format is looked at where a waybill is read. */
function isHead(value: unknown): value is WaybillHead {
  const { artifact, entry } = (value ?? {}) as { artifact?: Record<string, unknown>; entry?: Record<string, unknown> };
  const loads = entry?.loads as Record<string, unknown> | undefined;
  const isLoaded = typeof loads?.file === 'string' && typeof loads.member === 'string';
  return typeof artifact?.sha256 === 'string' && typeof artifact.size === 'number' && isLoaded;
}

/** As we write it: the lists begin with that of the packages. */
function headOf(text: string): WaybillHead | undefined {
  const end = text.indexOf('\n  "packages": [');
  try {
    const value: unknown = JSON.parse(end < 0 ? text : `${text.slice(0, end).replace(/,$/, '')}}`);
    return isHead(value) ? value : undefined;
  } catch {
    return undefined;
  }
}

async function readBoth(project: Project, target: Target): Promise<{ text: string; digest: string }> {
  const shown = artifactPath(target);
  try {
    const digest = await artifactDigest(join(project.root, shown), shown, target.spec.form);
    return { text: readFileSync(join(project.root, waybillPath(target)), 'utf8'), digest };
  } catch (error) {
    if (systemCode(error) !== 'ENOENT') throw error;
    throw new EmballageError(
      'ARTIFACT_MISSING',
      {
        ...facts(target),
        expected: 'an artifact with its waybill',
        found: 'nothing, or only one of the two',
      },
      error,
    );
  }
}

function mixed(target: Target, expected: string, found: string): EmballageError {
  return new EmballageError('ARTIFACT_MIXED', {
    ...facts(target),
    expected: `the artifact of its waybill, SHA-256 ${expected}`,
    found: `another, SHA-256 ${found}`,
  });
}

function facts(target: Target): { doing: string; where: string; mend: string } {
  const mend = `run \`emballage build ${target.spec.name}\``;
  return { doing: 'looking for the artifact', where: artifactPath(target), mend };
}
