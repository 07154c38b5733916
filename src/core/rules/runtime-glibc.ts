import { printable } from '../base/text';
import { glibcNeeded } from '../formats/elf';
import { nativeFiles } from './native';
import { findings, type Finding, type Rule } from './rule';

export const runtimeGlibc: Rule = {
  id: 'runtime/glibc',
  level: 'stop',
  title: 'No compiled file needs a newer C library than the runtime has',
  why: 'A file that was compiled on a newer system asks for symbols that the host’s C library does not have, and is not loaded.',
  mend: 'Take a build for an older system (a lower manylinux version), or choose a newer runtime.',
  needs: ['runtime'],
  check({ subject, destination, facts: { runtime } }) {
    const glibc = destination.runtimes.find(({ name }) => name === runtime?.text)?.glibc;
    if (glibc === undefined) return findings();
    const [major = 0, minor = 0] = glibc.split('.').map(Number);
    const found: Finding[] = [];
    for (const { path, elf } of nativeFiles(subject)) {
      const needed = glibcNeeded(elf);
      if (needed === undefined || needed[0] < major || (needed[0] === major && needed[1] <= minor)) continue;
      found.push({
        level: 'stop',
        where: printable(path),
        expected: `at most glibc ${glibc} (${destination.name}, ${runtime?.text ?? ''})`,
        found: `symbols of glibc ${needed.join('.')}`,
        mend: 'take a build for an older system, or choose a newer runtime',
      });
    }
    return findings(...found);
  },
};
