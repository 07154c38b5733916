import { printable } from '../../base/text';
import { offeredRuntime, type Arch } from '../../sheet';
import type { OpenImage } from '../../disk/unpack/open-image';
import { nativeFiles } from '../../findings/native-files';
import { findings, type Finding, type Rule, type RuleResult, type Subject } from '../../findings/rule';
import { libcKindOf, type LibcKind } from './libc-kind';

/** Where systems have the program that loads others (the psABI of each processor; musl’s manual). */
const LOADERS: Readonly<Record<LibcKind, Readonly<Record<Arch, string>>>> = {
  glibc: { x86_64: '/lib64/ld-linux-x86-64.so.2', arm64: '/lib/ld-linux-aarch64.so.1' },
  musl: { x86_64: '/lib/ld-musl-x86_64.so.1', arm64: '/lib/ld-musl-aarch64.so.1' },
};

export const runtimeLoader: Rule = {
  id: 'runtime/loader',
  level: 'stop',
  title: 'The loader that a program names is there at the destination',
  why: 'A program names the file that loads its libraries. Where that file is not there, the system says “no such file” about the program itself.',
  mend: 'Link the program in the usual way for its processor and C library, or link it statically.',
  needs: ['runtime', 'arch'],
  check({ subject, destination, facts: { runtime, arch } }) {
    if (subject.image !== undefined) return inImage(subject, subject.image);
    const kind = libcKindOf(offeredRuntime(destination, runtime));
    if (kind === undefined || arch === undefined) return findings();
    const wanted = LOADERS[kind][arch];
    const found: Finding[] = [];
    for (const { path, elf } of nativeFiles(subject)) {
      // Libraries that can be started by themselves name one too; it is not used when they are loaded.
      if (elf.interpreter === undefined || elf.soname !== undefined || elf.interpreter === wanted) continue;
      found.push({
        level: 'stop',
        where: printable(path),
        expected: `the loader \`${wanted}\` (${destination.name})`,
        found: `\`${printable(elf.interpreter)}\``,
        mend: 'link it with a compiler for this processor and C library, or statically',
      });
    }
    return findings(...found);
  },
};

/** In an image the loader is a file like others. */
function inImage(subject: Subject, image: OpenImage): RuleResult {
  return findings(
    ...nativeFiles(subject).flatMap(({ path, elf }): Finding[] => {
      const { interpreter, soname } = elf;
      if (interpreter === undefined || soname !== undefined) return [];
      if (image.tree.resolve(interpreter)?.node.head.kind === 'file') return [];
      return [
        {
          level: 'stop',
          where: printable(path),
          expected: `the loader \`${printable(interpreter)}\` in the image`,
          found: 'no such file',
          mend: 'stand it on a base with that C library, or link it statically',
        },
      ];
    }),
  );
}
