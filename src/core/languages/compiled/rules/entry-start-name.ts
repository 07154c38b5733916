import { baseOf } from '../../../base/paths';
import { printable } from '../../../base/text';
import { DEFAULT_START, offeredRuntime } from '../../../sheet';
import { MAX_NATIVE_BYTES, describeNative, nativeReadings } from '../../../findings/native-files';
import { findings, type Rule, type Subject } from '../../../findings/rule';

export const entryStartName: Rule = {
  id: 'entry/start-name',
  level: 'stop',
  title: 'What the host starts is an executable, under the name that it starts',
  why: 'The host of native code starts one file by a fixed name. Under any other name, or as a script or library, nothing starts.',
  mend: 'Pack the executable at the top of the artifact under the destination’s `start` name.',
  needs: ['runtime'],
  isOfLayers: false,
  check({ subject, destination, facts: { runtime, entry } }) {
    const offered = offeredRuntime(destination, runtime);
    if (offered === undefined) return findings();
    const start = subject.form.isProgram === true ? (entry?.file ?? '') : (offered.start ?? DEFAULT_START);
    const wrong = whyNotStarted(subject, start);
    if (wrong === undefined) return findings();
    return findings({
      level: 'stop',
      where: printable(start),
      expected: `a Linux executable called \`${printable(start)}\` (${destination.name})`,
      found: wrong,
      mend:
        subject.form.isProgram === true
          ? 'deliver what the compiler makes'
          : `pack the executable as \`${printable(start)}\`; \`emballage build\` does`,
    });
  },
};

function whyNotStarted(subject: Subject, start: string): string | undefined {
  const file = subject.entries.find(({ path, kind }) => path === start && kind === 'file');
  const readings = nativeReadings(subject);
  if (file === undefined) {
    const other = readings.find(({ reading }) => 'kind' in reading && reading.kind === 'program');
    const near =
      other?.path ?? subject.entries.find(({ path, kind }) => kind === 'file' && baseOf(path) === start)?.path;
    return near === undefined ? 'no such file' : `no such file, but \`${printable(near)}\``;
  }
  const reading = readings.find(({ path }) => path === start)?.reading;
  if (reading === undefined) return whatElse(subject, start);
  if ('fault' in reading) return `a damaged ${reading.format} file: ${reading.fault}`;
  if (reading.format !== 'ELF') return describeNative(reading);
  return reading.kind === 'object' ? 'an object file that is not linked yet' : undefined;
}

function whatElse(subject: Subject, path: string): string | undefined {
  const start = Buffer.from(subject.readBytes(path, MAX_NATIVE_BYTES)?.subarray(0, 80) ?? []).toString('latin1');
  if (start.startsWith('#!')) return `a script for ${printable(start.slice(2).split('\n')[0]?.trim() ?? '')}`;
  return 'no compiled file at all';
}
