import { baseOf } from '../base/paths';
import { nearestWord, printable } from '../base/text';
import type { JvmView } from '../languages/jvm';
import type { Entry } from '../sheet';
import { findings, type Rule, type RuleResult } from '../findings/rule';

export const entryMissingFile: Rule = {
  id: 'entry/missing-file',
  level: 'stop',
  title: 'The entry’s file is in the artifact, under exactly that path',
  why: 'The host loads this file by name. Names on hosts are case-sensitive even where those on laptops are not.',
  mend: 'Correct `entry` in the sheet, or pack the file under that path.',
  needs: ['entry'],
  check({ subject, facts: { entry } }) {
    if (entry === undefined) return findings();
    if (subject.jvm !== undefined) return missingClass(subject.jvm, entry);
    const files = subject.entries.filter((e) => e.kind !== 'folder').map((e) => e.path);
    if (files.includes(entry.file)) return findings();
    const deeper = files.find((path) => path.endsWith(`/${entry.file}`));
    const other = files.find((path) => path.toLowerCase() === entry.file.toLowerCase());
    const namesake = files.find((path) => baseOf(path) === baseOf(entry.file));
    const near = other ?? deeper ?? namesake ?? nearestWord(entry.file, files.slice(0, 5000));
    return findings({
      level: 'stop',
      where: printable(entry.file),
      expected: `the file \`${printable(entry.file)}\``,
      found: near === undefined ? 'no such file' : `no such file, but \`${printable(near)}\``,
      mend:
        near === undefined
          ? 'correct `entry`'
          : `write \`entry: ${printable(near)}${entry.member === '' ? '' : `#${entry.member}`}\`, or pack it as \`${printable(entry.file)}\``,
    });
  },
};

/** The JVM loads a class by its name, not a file by its path. */
function missingClass({ classes }: JvmView, { file, member }: Entry): RuleResult {
  const name = file.replaceAll('.', '/');
  if (classes.has(name)) return findings();
  const names = [...classes.keys()];
  const simple = name.slice(name.lastIndexOf('/') + 1);
  const near =
    names.find((one) => one.toLowerCase() === name.toLowerCase()) ??
    names.find((one) => one.endsWith(`/${simple}`)) ??
    nearestWord(name, names.slice(0, 5000));
  const shown = near?.replaceAll('/', '.');
  return findings({
    level: 'stop',
    where: printable(file),
    expected: `the class \`${printable(file)}\``,
    found: shown === undefined ? 'no such class' : `no such class, but \`${printable(shown)}\``,
    mend: shown === undefined ? 'correct `entry`' : `write \`entry: ${printable(shown)}#${member}\``,
  });
}
