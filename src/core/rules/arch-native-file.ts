import { printable } from '../base/text';
import { MACHINES } from '../formats/elf';
import type { Arch } from '../sheet';
import { foreignFiles, nativeFiles } from './native';
import { findings, type Finding, type Level, type Rule, type Subject } from './rule';

export const archNativeFile: Rule = {
  id: 'arch/native-file',
  level: 'stop',
  title: 'Every compiled file is for the artifact’s architecture',
  why: 'A library for another processor is found out only when it is loaded, by a message that seldom says so.',
  mend: 'Settle the packages for the right architecture, or pack the right file.',
  needs: ['arch'],
  check: ({ subject, facts: { arch } }) => findings(...otherProcessor(subject, arch), ...otherSystem(subject, arch)),
};

/** Code in a JAR chooses among libraries for several systems; elsewhere what is there is loaded. */
function levelIn({ form }: Subject): Level {
  return form === 'jar' ? 'warn' : 'stop';
}

function otherProcessor(subject: Subject, arch: Arch | undefined): Finding[] {
  return nativeFiles(subject)
    .filter(({ elf }) => arch !== undefined && (MACHINES[elf.machine] !== arch || elf.bits !== 64))
    .map(({ path, elf }) => ({
      level: levelIn(subject),
      where: printable(path),
      expected: `a file for ${arch ?? ''}`,
      found: `one for ${MACHINES[elf.machine] ?? `processor ${String(elf.machine)}`}${elf.bits === 64 ? '' : ', 32 bit'}`,
      mend: 'settle anew with `emballage lock`, or pack the file for this architecture',
    }));
}

function otherSystem(subject: Subject, arch: Arch | undefined): Finding[] {
  return foreignFiles(subject).map(({ path, system }) => ({
    level: levelIn(subject),
    where: printable(path),
    expected: `a file for Linux, ${arch ?? ''}`,
    found: `one for ${system}`,
    mend: 'settle anew with `emballage lock`: what is installed here is for this machine',
  }));
}
