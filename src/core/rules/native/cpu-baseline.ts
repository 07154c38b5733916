import { printable } from '../../base/text';
import type { ElfProperties } from '../../formats/elf';
import type { Arch, Destination } from '../../sheet';
import { nativeFiles } from '../../findings/native-files';
import { findings, type Finding, type Rule } from '../../findings/rule';

export const nativeCpuBaseline: Rule = {
  id: 'native/cpu-baseline',
  level: 'stop',
  title: 'No compiled file declares that it needs more of the processor than the destination has',
  why: 'An instruction that the processor does not know ends the program on the spot, with a signal and nothing else. Only what files declare is seen.',
  mend: 'Compile for the baseline, or say under `cpu` in the destination what its processors have.',
  needs: ['arch'],
  check({ subject, destination, facts: { arch } }) {
    const found: Finding[] = [];
    for (const { path, properties } of nativeFiles(subject)) {
      const more = beyond(properties, destination, arch);
      if (more === undefined) continue;
      found.push({
        level: 'stop',
        where: printable(path),
        expected: `at most ${more.has} (${destination.name})`,
        found: `${more.needs}, by ${properties.by ?? ''}`,
        mend: `compile for ${more.has}`,
      });
    }
    return findings(...found);
  },
};

const BASELINE = { x86_64: 'x86-64-v1', arm64: 'v8.0' } as const;

function beyond(
  { x86Level, armVersion }: ElfProperties,
  destination: Destination,
  arch: Arch | undefined,
): { readonly has: string; readonly needs: string } | undefined {
  if (arch === undefined) return undefined;
  const has = destination.cpu[arch] ?? BASELINE[arch];
  const needs = arch === 'x86_64' ? (x86Level === undefined ? undefined : `x86-64-v${String(x86Level)}`) : armVersion;
  return needs === undefined || rank(needs) <= rank(has) ? undefined : { has, needs };
}

/** `x86-64-v3` is 3, `v8.2` is 8.2. */
function rank(level: string): number {
  return Number(/v(\d+(?:\.\d+)?)$/.exec(level)?.[1] ?? 0);
}
