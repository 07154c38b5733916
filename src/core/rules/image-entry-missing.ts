import { printable } from '../base/text';
import { readElf } from '../formats/elf';
import { IMAGE, imageOf, startedBy } from '../findings/image';
import { MAX_NATIVE_BYTES } from '../findings/native-files';
import { findings, type Rule, type RuleResult } from '../findings/rule';
import type { OpenImage } from '../disk/open-image';

export const imageEntryMissing: Rule = {
  id: 'image/entry-missing',
  level: 'stop',
  title: 'What the image starts is there, may be executed, and has what loads it',
  why: 'A host starts the command of the image and nothing else. Where its file, its interpreter or its loader is missing, it says “no such file” about the command itself.',
  mend: 'Name a base that brings the runtime, or correct the command of the image.',
  needs: [],
  forms: IMAGE,
  check({ subject }) {
    const image = imageOf(subject);
    const { command, found } = startedBy(image);
    const [program] = command;
    if (program === undefined)
      return stop(undefined, 'a command that starts it', 'none', 'give the image an entry point');
    const mend = 'name a base that brings it: `base: { runtime: … }` or `{ image: … }`';
    if (found === undefined) return stop(program, 'a file of the image', 'no such file', mend);
    if ((found.node.head.mode & 0o111) === 0)
      return stop(
        program,
        'a file that may be executed',
        `mode 0${found.node.head.mode.toString(8)}`,
        'give it mode 0755',
      );
    return checkLoaded(image, program, found, mend);
  },
};

function checkLoaded(
  image: OpenImage,
  program: string,
  { node }: NonNullable<ReturnType<typeof startedBy>['found']>,
  mend: string,
): RuleResult {
  const start = image.read(node, 0, Math.min(256, node.head.size)).toString('latin1');
  if (start.startsWith('#!')) {
    const [interpreter = ''] = start.slice(2).split('\n')[0]?.trim().split(/\s+/) ?? [];
    const isThere = image.tree.resolve(interpreter)?.node.head.kind === 'file';
    return isThere
      ? findings()
      : stop(
          program,
          'a script whose interpreter is in the image',
          `one for \`${printable(interpreter)}\`, which is not there`,
          mend,
        );
  }
  if (!start.startsWith('\u007fELF')) return stop(program, 'a program or a script', 'a file that is neither', mend);
  if (node.head.size > MAX_NATIVE_BYTES) return findings();
  const loader = readElf(image.read(node, 0, node.head.size))?.interpreter;
  if (loader === undefined || image.tree.resolve(loader)?.node.head.kind === 'file') return findings();
  return stop(
    program,
    `the loader that it names, \`${printable(loader)}\``,
    'no such file in the image',
    'stand it on a base with that C library (`base: { runtime: libc }`), or link it statically',
  );
}

function stop(where: string | undefined, expected: string, found: string, mend: string): RuleResult {
  return findings({ level: 'stop', expected, found, mend, ...(where !== undefined && { where: printable(where) }) });
}
