/** Proves that artifacts are reproducible: builds them again in changed surroundings and compares the bytes. */
import { join } from 'node:path';
import { withFileSource } from '../../disk/file-source';
import type { ByteSource } from '../../formats/byte-source';
import { firstElfDifference } from '../../formats/elf';
import { firstImageDifference } from '../../formats/oci';
import { firstZipDifference, type ZipDifference } from '../../formats/zip';
import { VARIATIONS, type Variation } from './variations';
import { artifactPath, targetsOf, waybillPath, type Project, type Target } from '../../project/targets';
import type { Form, FunctionSpec } from '../../sheet';
import { fileDigest } from '../../disk/digest';

/** Builds the functions again as a variation wants it; gives the absolute path of the project folder it built in. */
export type Rebuild = (variation: Variation) => Promise<string>;

export interface ProofDifference {
  readonly name: string;
  readonly arch: string;
  /** Which of the two files differs. */
  readonly file: 'artifact' | 'waybill';
  /** The first difference inside the artifact; a waybill is only compared as a whole. */
  readonly detail?: ZipDifference;
}

export interface ProofLine {
  readonly variation: Variation;
  readonly differences: readonly ProofDifference[];
}

/**
 * @param project the project with its artifacts up to date
 * @param onLine told after each variation
 */
export async function prove(
  project: Project,
  functions: readonly FunctionSpec[],
  rebuild: Rebuild,
  onLine: (line: ProofLine) => void,
  variations: readonly Variation[] = VARIATIONS,
): Promise<ProofLine[]> {
  const lines: ProofLine[] = [];
  for (const variation of variations) {
    const otherRoot = await rebuild(variation);
    const differences: ProofDifference[] = [];
    for (const target of targetsOf(functions))
      differences.push(...(await compareTarget(project.root, otherRoot, target)));
    const line = { variation, differences };
    lines.push(line);
    onLine(line);
  }
  return lines;
}

const DIFFERENCES: Readonly<Record<Form, (a: ByteSource, b: ByteSource) => ZipDifference | undefined>> = {
  zip: firstZipDifference,
  jar: firstZipDifference,
  binary: firstElfDifference,
  image: firstImageDifference,
};

async function compareTarget(rootA: string, rootB: string, target: Target): Promise<ProofDifference[]> {
  const at = { name: target.spec.name, arch: target.arch };
  const path = artifactPath(target);
  const [a, b] = [join(rootA, path), join(rootB, path)];
  if (fileDigest(a) !== fileDigest(b)) {
    const detail = await withFileSource(a, path, (first) =>
      withFileSource(b, path, (second) => DIFFERENCES[target.spec.form](first, second)),
    );
    return [{ ...at, file: 'artifact', ...(detail !== undefined && { detail }) }];
  }
  const waybill = waybillPath(target);
  return fileDigest(join(rootA, waybill)) === fileDigest(join(rootB, waybill)) ? [] : [{ ...at, file: 'waybill' }];
}
