import { printable } from '../../base/text';
import type { ElfFile } from '../../formats/elf';
import { offeredRuntime, type DestinationRuntime } from '../../sheet';
import { imageLibc } from '../../findings/image';
import { nativeFiles } from '../../findings/native-files';
import { findings, type Finding, type Rule } from '../../findings/rule';

export type LibcKind = 'glibc' | 'musl';

export const runtimeLibcKind: Rule = {
  id: 'runtime/libc-kind',
  level: 'stop',
  title: 'Compiled files are for the kind of C library that the runtime has',
  why: 'A file that was linked with musl is not loaded by the GNU C library, nor the other way round.',
  mend: 'Take or compile the file for the other C library, or link the C library in.',
  needs: ['runtime'],
  check({ subject, destination, facts: { runtime } }) {
    const offered = offeredRuntime(destination, runtime);
    const kind = subject.image === undefined ? libcKindOf(offered) : imageLibc(subject.image)?.kind;
    const by = subject.image === undefined ? `${destination.name}, ${runtime?.text ?? ''}` : 'in the image';
    if (kind === undefined) return findings();
    const found: Finding[] = [];
    const files = nativeFiles(subject);
    const right = new Set(files.filter(({ elf }) => libcKindOfFile(elf) === kind).map(({ path }) => withoutKind(path)));
    for (const { path, elf } of files) {
      const own = libcKindOfFile(elf);
      // Packages that carry one for each kind choose by themselves.
      if (own === undefined || own === kind || right.has(withoutKind(path))) continue;
      found.push({
        level: 'stop',
        where: printable(path),
        expected: `a file for ${kind} (${by})`,
        found: `one for ${own}`,
        mend: `take or compile it for ${kind}`,
      });
    }
    return findings(...found);
  },
};

/** A path without the words that say for which C library a file is. */
function withoutKind(path: string): string {
  return path
    .replace(/(?<![a-z])(?:linuxmusl|linux)(?![a-z])/gi, 'linux')
    .replace(/[-_.]?(?<![a-z])(?:musl|glibc|gnu)(?![a-z])/gi, '');
}

/** Undefined where a destination says nothing, or has both. */
export function libcKindOf(offered: DestinationRuntime | undefined): LibcKind | undefined {
  if (offered?.glibc !== undefined) return offered.musl === undefined ? 'glibc' : undefined;
  return offered?.musl === undefined ? undefined : 'musl';
}

/** By what a file asks for; undefined for one that asks for no C library. */
export function libcKindOfFile({ needed, interpreter, versions }: ElfFile): LibcKind | undefined {
  if (
    needed.some((name) => /^(?:libc\.musl-|ld-musl-|libc\.so$)/.test(name)) ||
    interpreter?.includes('/ld-musl-') === true
  )
    return 'musl';
  const hasVersions = [...versions.values()].some((names) => names.some((name) => name.startsWith('GLIBC_')));
  if (hasVersions || interpreter?.includes('/ld-linux') === true) return 'glibc';
  return undefined;
}
