import { printable } from '../../base/text';
import { readElf } from '../../formats/elf';
import { imageOf, onSearchPath, startedBy } from '../../findings/image';
import { MAX_NATIVE_BYTES } from '../../findings/native-files';
import { findings, type Rule, type RuleResult } from '../../findings/rule';
import type { OpenImage } from '../../disk/unpack/open-image';

const UNIX_LINES = 'write it with line ends of Unix, such as by `sed -i "s/\\r$//"`';
const SHELL = /(?:^|\/)(?:ba|da|a|k|z)?sh$/;

export const imageEntryMissing: Rule = {
  id: 'image/entry-missing',
  level: 'stop',
  title: 'What the image starts is there, may be executed, and has what loads it',
  why: 'A host starts the command of the image and nothing else. Where its file, its interpreter or its loader is missing, it says “no such file” about the command itself.',
  mend: 'Name a base that brings the runtime, or correct the command of the image.',
  needs: [],
  isOfLayers: true,
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
    const loaded = checkLoaded(image, program, found, mend);
    return loaded.findings.length > 0 ? loaded : checkShellScript(image, command);
  },
};

function checkLoaded(
  image: OpenImage,
  program: string,
  { node }: NonNullable<ReturnType<typeof startedBy>['found']>,
  mend: string,
): RuleResult {
  const start = image.read(node, 0, Math.min(256, node.head.size)).toString('latin1');
  if (start.startsWith('#!')) return checkScript(image, program, start, mend);
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

/** What the system reads of a script is its first line, with all that stands in it (execve(2)). */
function checkScript(image: OpenImage, program: string, start: string, mend: string): RuleResult {
  const line = start.slice(2).split('\n')[0] ?? '';
  if (line.endsWith('\r'))
    return stop(
      program,
      'a script with line ends of Unix',
      'one with line ends of DOS, which belong to the name of its interpreter',
      UNIX_LINES,
    );
  const [interpreter = '', argument = ''] = line.trim().split(/\s+/);
  const absent = (name: string): RuleResult =>
    stop(
      program,
      'a script whose interpreter is in the image',
      `one for \`${printable(name)}\`, which is not there`,
      mend,
    );
  if (image.tree.resolve(interpreter)?.node.head.kind !== 'file') return absent(interpreter);
  // `env` looks for its argument where programs are.
  const isLookedFor = interpreter.endsWith('/env') && /^[\w.+-]+$/.test(argument) && !argument.startsWith('-');
  return isLookedFor && onSearchPath(image, argument) === undefined ? absent(argument) : findings();
}

/** A shell that is given a script runs its lines, with what stands before their ends. */
function checkShellScript(image: OpenImage, [shell = '', ...rest]: readonly string[]): RuleResult {
  const { config, tree } = image;
  const script = SHELL.test(shell) ? rest.find((one) => !one.startsWith('-')) : undefined;
  if (script === undefined || rest.includes('-c')) return findings();
  const node = tree.resolve(script.startsWith('/') ? script : `${config.run.workingDir}/${script}`)?.node;
  if (node?.head.kind !== 'file') return findings();
  const start = image.read(node, 0, Math.min(4096, node.head.size)).toString('latin1');
  return start.includes('\r\n')
    ? stop(
        script,
        'a script with line ends of Unix',
        'one with line ends of DOS, which the shell takes for a part of each line',
        UNIX_LINES,
      )
    : findings();
}

function stop(where: string | undefined, expected: string, found: string, mend: string): RuleResult {
  return findings({ level: 'stop', expected, found, mend, ...(where !== undefined && { where: printable(where) }) });
}
