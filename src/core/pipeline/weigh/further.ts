/** What other keys of the sheet would save, found by putting the files together under each. */
import { assembleOnly, type AssembleOnlyRequest } from '../build';
import { languageOf } from '../../languages';
import type { Target } from '../../project/targets';
import type { PackedEntry } from '../../fileset/model';
import type { Saving, Weighed } from './model';

/**
 * @param weighed as it is
 * @param onTry told before each is tried, since compilers take their time
 * @returns its savings, those that only trying tells with what they came to
 */
export async function triedSavings(
  request: AssembleOnlyRequest,
  target: Target,
  weighed: Weighed,
  onTry: (line: string) => void,
): Promise<Saving[]> {
  const tried = new Map<string, number>();
  const ways = languageOf(target.spec.runtime.language).suggestions?.(target.spec) ?? [];
  const before = ways.length === 0 ? 0 : sizeOf((await assembleOnly(request, target)).fileSet.entries);
  for (const { line, spec } of ways) {
    onTry(line);
    const { fileSet } = await assembleOnly(request, { ...target, spec });
    tried.set(line, before - sizeOf(fileSet.entries));
  }
  return weighed.savings
    .map((saving): Saving => {
      const unpacked = saving.unpacked ?? (saving.line === undefined ? undefined : tried.get(saving.line));
      return unpacked === undefined ? saving : { ...saving, unpacked };
    })
    .filter(({ unpacked }) => unpacked === undefined || unpacked > 0)
    .sort((a, b) => (b.unpacked ?? 0) - (a.unpacked ?? 0));
}

function sizeOf(entries: readonly PackedEntry[]): number {
  return entries.reduce((sum, entry) => sum + (entry.kind === 'file' ? entry.size : 0), 0);
}
