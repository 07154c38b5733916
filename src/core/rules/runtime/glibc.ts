import { listed, printable } from '../../base/text';
import { glibcNeeded, symbolsNeeding } from '../../formats/elf';
import { offeredRuntime } from '../../sheet';
import { imageLibc } from '../../findings/image';
import { MAX_NATIVE_BYTES, isProgramItself, nativeFiles } from '../../findings/native-files';
import { findings, type Finding, type Rule, type RuleContext } from '../../findings/rule';

const SHOWN_SYMBOLS = 3;

export const runtimeGlibc: Rule = {
  id: 'runtime/glibc',
  level: 'stop',
  title: 'No compiled file needs a newer C library than the runtime has',
  why: 'A file that was compiled on a newer system asks for symbols that the host’s C library does not have, and is not loaded.',
  mend: 'Take a build for an older system (a lower manylinux version), compile on one, link the C library in, or choose a newer runtime.',
  needs: ['runtime'],
  check({ subject, destination, facts }) {
    const { version: glibc, by } = libcOf({ subject, destination, facts });
    if (glibc === undefined) return findings();
    const [major = 0, minor = 0] = glibc.split('.').map(Number);
    const found: Finding[] = [];
    for (const { path, elf } of nativeFiles(subject)) {
      const needed = glibcNeeded(elf);
      if (needed === undefined || needed[0] < major || (needed[0] === major && needed[1] <= minor)) continue;
      const version = needed.join('.');
      const names = symbolsNeeding(subject.readBytes(path, MAX_NATIVE_BYTES) ?? new Uint8Array(), `GLIBC_${version}`);
      found.push({
        level: 'stop',
        where: printable(path),
        expected: `at most glibc ${glibc} (${by})`,
        found: `symbols of glibc ${version}${shown(names)}`,
        mend: isProgramItself(subject)
          ? 'compile on an older system, or with `build: { linkage: static }`'
          : 'take a build for an older system, or choose a newer runtime',
      });
    }
    return findings(...found);
  },
};

/** The version of the C library that compiled files meet, and who says so. */
function libcOf({
  subject: { image },
  destination,
  facts: { runtime },
}: Pick<RuleContext, 'subject' | 'destination' | 'facts'>): { version: string | undefined; by: string } {
  if (image !== undefined) return { version: imageLibc(image)?.version, by: 'in the image' };
  return { version: offeredRuntime(destination, runtime)?.glibc, by: `${destination.name}, ${runtime?.text ?? ''}` };
}

function shown(names: readonly string[]): string {
  if (names.length === 0) return '';
  const first = names.slice(0, SHOWN_SYMBOLS).map((name) => `\`${printable(name)}\``);
  const left = names.length - first.length;
  return `: ${left > 0 ? `${first.join(', ')} and ${String(left)} more` : listed(first)}`;
}
