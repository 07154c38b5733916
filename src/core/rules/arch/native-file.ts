import { printable } from '../../base/text';
import type { NativeInfo } from '../../formats/native';
import type { Arch } from '../../sheet';
import { isProgramItself, nativeReadings } from '../../findings/native-files';
import { findings, type Finding, type Level, type Rule, type Subject } from '../../findings/rule';

export const archNativeFile: Rule = {
  id: 'arch/native-file',
  level: 'stop',
  title: 'Every compiled file is for the artifact’s architecture',
  why: 'A library or program for another processor or system is found out only when it is loaded, by a message that seldom says so.',
  mend: 'Settle the packages for the right architecture, compile for it, or pack the right file.',
  needs: ['arch'],
  check({ subject, facts }) {
    const { arch } = facts;
    if (arch === undefined) return findings();
    const readings = nativeReadings(subject);
    const isNoneRight = lacksItsLibraries(readings, arch);
    return findings(
      ...readings.flatMap(({ path, reading }): Finding[] => {
        const fault = 'fault' in reading ? `a damaged ${reading.format} file: ${reading.fault}` : misfit(reading, arch);
        const byName = subject.view?.otherByName?.(path);
        const found = fault ?? (byName === undefined ? undefined : `one whose name says ${byName}`);
        if (found === undefined) return [];
        return [
          {
            level: levelOf(subject, 'fault' in reading ? undefined : reading, isNoneRight),
            where: printable(path),
            expected: `a file for ${'fault' in reading || reading.format !== 'ELF' ? 'Linux, ' : ''}${arch}`,
            found:
              isNoneRight && subject.form.isForSeveral === true
                ? `${found}, and no library for ${arch} in the ${subject.form.title}`
                : found,
            ...mendFor(subject),
          },
        ];
      }),
    );
  },
};

/** Code may choose among libraries for several systems, and objects are for linkers; elsewhere what is there is loaded. */
function levelOf({ form }: Subject, info: NativeInfo | undefined, isNoneRight: boolean): Level {
  if (info?.kind === 'object' || info?.kind === 'archive') return 'warn';
  return form.isForSeveral === true && !(isNoneRight && info?.system === 'Linux') ? 'warn' : 'stop';
}

/** Whether there are libraries for Linux, and none of them for this processor: then there is nothing to choose. */
function lacksItsLibraries(readings: ReturnType<typeof nativeReadings>, arch: Arch): boolean {
  const libraries = readings.flatMap(({ reading }) =>
    'fault' in reading || reading.system !== 'Linux' || reading.kind === 'object' || reading.kind === 'archive'
      ? []
      : [reading],
  );
  return libraries.length > 0 && libraries.every((one) => misfit(one, arch) !== undefined);
}

/** What a file is for, where that is not what is wanted. */
function misfit({ format, system, machines, kind }: NativeInfo, arch: Arch): string | undefined {
  if (system === 'any' && (format === 'WebAssembly' || machines.length === 0)) return undefined;
  const fits = machines.some(({ name, bits }) => name === arch && bits === 64);
  if (fits && (system === 'Linux' || system === 'any' || kind === 'archive')) return undefined;
  const words = machines.map(({ name, bits }) => `${name}${bits === 64 || name.includes('32 bit') ? '' : ', 32 bit'}`);
  return `one for ${[...(system === 'Linux' || system === 'any' ? [] : [system]), words.join(' and ')].join(', ')}`;
}

function mendFor(subject: Subject): Pick<Finding, 'mend' | 'mendByHand'> {
  if (isProgramItself(subject)) return { mend: 'build it again for this architecture, or pack the right file' };
  const mendByHand = 'pack the file for this architecture';
  return { mend: `settle anew with \`emballage lock\`, or ${mendByHand}`, mendByHand };
}
