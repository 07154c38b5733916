/** Holds what is put against the destination, as a real host does: refusals with their reasons. */
import { join } from 'node:path';
import { makeScratch, removeScratch } from '../../core/disk/scratch';
import { formatSize } from '../../core/base/units';
import { linkOrCopy } from '../../core/disk/write';
import { KNOWN } from '../../core/known';
import { formOf } from '../../core/forms';
import { checkFile, stopFindings, type CheckedFinding } from '../../core/pipeline/check';
import type { VersionText } from '../../core/pipeline/deliver';
import { ARCHITECTURES, entryOf, readRuntime, type Destination } from '../../core/sheet';
import type { Machine } from '../../core/toolchains/machine';

/** What a host sees of itself; the rest is between the team and its code. */
const ENFORCED =
  /^(?:size|arch|runtime|limits)\/|^settings\/(?:missing|reserved|total)$|^layout\/(?:damaged|unsafe-path|nested-root)$|^entry\/missing-/;

export interface Judging {
  readonly destination: Destination;
  readonly machine: Machine;
  /** Path of content by its digest. */
  readonly pathOf: (sha256: string) => string;
  /** Today, `2026-11-24`. */
  readonly today: string;
}

/** @returns why it is refused, a line each; nothing where it is taken */
export async function refusalsOf(
  name: string,
  text: VersionText,
  { destination, machine, pathOf, today }: Judging,
): Promise<string[]> {
  const runtime = readRuntime(text.runtime, KNOWN);
  if (runtime === undefined) return [`runtime ${text.runtime}: nothing that is known`];
  const scratch = makeScratch('judge');
  const refusals = besideRefusals(text, destination);
  try {
    for (const arch of ARCHITECTURES) {
      const artifact = text.artifacts[arch];
      if (artifact === undefined) continue;
      // What it is is told by its name, too.
      const shown = `${name}${formOf(text.form).fileEnding}`;
      const path = join(scratch, `${arch}-${shown}`);
      linkOrCopy(pathOf(artifact.sha256), path);
      const checked = await checkFile({
        path,
        shown,
        name,
        destination,
        accept: [],
        today,
        isVerified: false,
        jobs: 1,
        scratch,
        machine,
        facts: {
          name,
          arch,
          runtime,
          limits: {},
          memoryBytes: text.memory,
          timeoutMs: text.timeout,
          entry: entryOf(text.loads),
          settings: settingsOf(text),
        },
      });
      refusals.push(
        ...stopFindings([checked])
          .filter(({ rule }) => ENFORCED.test(rule))
          .map(reason),
      );
    }
  } finally {
    removeScratch(scratch);
  }
  return [...new Set(refusals)];
}

function settingsOf({ settings, held, beside }: VersionText) {
  return [
    ...Object.entries(settings).map(([name, one]) =>
      'secret' in one ? { name, secret: true } : { name, secret: false, sample: one.value },
    ),
    ...held.map((name) => ({ name, secret: true })),
    ...Object.values(beside).map(({ setting }) => ({ name: setting, secret: false, beside: setting })),
  ];
}

function besideRefusals({ beside }: VersionText, { besides, name }: Destination): string[] {
  const all = Object.values(beside);
  if (all.length === 0) return [];
  if (besides === undefined) return [`size/beside: ${name} takes no data beside artifacts`];
  const used = all.reduce((sum, { size }) => sum + size, 0);
  if (besides.packed === undefined || used <= besides.packed) return [];
  return [`size/beside: expected at most ${formatSize(besides.packed)}, found ${formatSize(used)}`];
}

function reason({ rule, where, expected, found }: CheckedFinding): string {
  return `${rule}${where === undefined ? '' : ` (${where})`}: expected ${expected}, found ${found}`;
}
