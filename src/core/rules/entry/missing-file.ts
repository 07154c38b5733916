import { baseOf } from '../../base/paths';
import { nearestWord, printable } from '../../base/text';
import { findings, type Rule } from '../../findings/rule';

export const entryMissingFile: Rule = {
  id: 'entry/missing-file',
  level: 'stop',
  title: 'The entry’s file is in the artifact, under exactly that path',
  why: 'The host loads this file by name. Names on hosts are case-sensitive even where those on laptops are not.',
  mend: 'Correct `entry` in the sheet, or pack the file under that path.',
  needs: ['entry'],
  check({ subject, facts: { entry } }) {
    if (entry === undefined) return findings();
    const { view } = subject;
    if (view?.entryPlace !== undefined) {
      const finding = view.entryPlace(entry);
      return finding === undefined ? findings() : findings(finding);
    }
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
