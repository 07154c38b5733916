import { printable } from '../base/text';
import type { NativeInfo } from '../formats/native';
import type { Arch } from '../sheet';
import { isProgramItself, nativeReadings } from '../findings/native-files';
import { findings, type Finding, type Level, type Rule, type Subject } from '../findings/rule';

export const archNativeFile: Rule = {
  id: 'arch/native-file',
  level: 'stop',
  title: 'Every compiled file is for the artifact’s architecture',
  why: 'A library or program for another processor or system is found out only when it is loaded, by a message that seldom says so.',
  mend: 'Settle the packages for the right architecture, compile for it, or pack the right file.',
  needs: ['arch'],
  check({ subject, facts }) {
    const { arch } = facts;
    const found: Finding[] = [];
    for (const { path, reading } of nativeReadings(subject)) {
      const fault = 'fault' in reading ? `a damaged ${reading.format} file: ${reading.fault}` : misfit(reading, arch);
      if (arch === undefined || fault === undefined) continue;
      found.push({
        level: levelOf(subject, 'fault' in reading ? undefined : reading),
        where: printable(path),
        expected: `a file for ${'fault' in reading || reading.format !== 'ELF' ? 'Linux, ' : ''}${arch}`,
        found: fault,
        mend: mendFor(subject),
      });
    }
    return findings(...found);
  },
};

/** Code in a JAR chooses among libraries for several systems, and objects are for linkers; elsewhere what is there is loaded. */
function levelOf({ form }: Subject, info: NativeInfo | undefined): Level {
  return form === 'jar' || info?.kind === 'object' || info?.kind === 'archive' ? 'warn' : 'stop';
}

/** What a file is for, where that is not what is wanted. */
function misfit({ format, system, machines, kind }: NativeInfo, arch: Arch | undefined): string | undefined {
  if (system === 'any' && (format === 'WebAssembly' || machines.length === 0)) return undefined;
  const fits = machines.some(({ name, bits }) => name === arch && bits === 64);
  if (fits && (system === 'Linux' || kind === 'archive')) return undefined;
  const words = machines.map(({ name, bits }) => `${name}${bits === 64 || name.includes('32 bit') ? '' : ', 32 bit'}`);
  return `one for ${[...(system === 'Linux' || system === 'any' ? [] : [system]), words.join(' and ')].join(', ')}`;
}

function mendFor(subject: Subject): string {
  return isProgramItself(subject)
    ? 'build it again for this architecture, or pack the right file'
    : 'settle anew with `emballage lock`, or pack the file for this architecture';
}
