import { printable } from '../../../base/text';
import { sectionAt } from '../../../formats/elf';
import { MAX_NATIVE_BYTES, nativeFiles } from '../../../findings/native-files';
import { findings, type Finding, type Rule, type RuleContext } from '../../../findings/rule';
import { traceAt, type TraceWord } from '../../../findings/traces';

const SHOWN = 72;

export const reproPathLeak: Rule = {
  id: 'repro/path-leak',
  level: 'stop',
  title: 'Nothing in what was compiled tells where, by whom and on what day',
  why: 'A path, a name or a date of the machine that compiled it makes the same source come out differently elsewhere, and tells strangers about the machine.',
  mend: 'Find what puts it there: `__DATE__`, `env!("CARGO_MANIFEST_DIR")`, a flag with a path, a generated file.',
  needs: ['runtime'],
  check(context) {
    const { subject, facts } = context;
    if (facts.surroundings === undefined) return findings();
    const traces = tracesOf(context);
    const found: Finding[] = [];
    for (const { path } of nativeFiles(subject)) {
      const bytes = Buffer.from(subject.readBytes(path, MAX_NATIVE_BYTES) ?? []);
      for (const trace of traces) {
        const at = traceAt(bytes, trace);
        if (at === undefined) continue;
        found.push({
          level: 'stop',
          where: printable(path),
          expected: `nothing that tells ${trace.what}`,
          found: `\`${printable(textAround(bytes, at))}\` in ${sectionAt(bytes, at) ?? 'no section'}, byte ${String(at)}`,
          mend: 'find what puts it there, and take it out',
        });
      }
    }
    return findings(...found);
  },
};

function tracesOf({ facts, today }: RuleContext): TraceWord[] {
  const { folders, user, host } = facts.surroundings ?? { folders: [], user: '', host: '' };
  const paths = folders.map((text) => ({ what: 'a folder of this machine', text, isWord: false }));
  // Short names are words of every language.
  const named = [
    ...(user.length >= 3 ? [{ what: 'who compiled it', text: `/home/${user}/`, isWord: false }] : []),
    ...(host.length >= 6 && host !== 'localhost' ? [{ what: 'the machine’s name', text: host, isWord: true }] : []),
  ];
  const [year = '', month = '', day = ''] = today.split('-');
  const name = MONTHS[Number(month) - 1] ?? '';
  const days = [`${name} ${day.replace(/^0/, ' ')} ${year}`, today];
  const result = facts.waybill?.made.time.startsWith(today) === true;
  return [...paths, ...named, ...(result ? [] : days.map((text) => ({ what: 'today’s date', text, isWord: true })))];
}

/** As C’s `__DATE__` writes them. */
const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];

function textAround(bytes: Buffer, at: number): string {
  const isText = (byte: number | undefined): boolean => byte !== undefined && byte >= 0x20 && byte < 0x7f;
  let end = at;
  while (end - at < SHOWN && isText(bytes[end])) end += 1;
  return bytes.toString('latin1', at, end);
}
