import { printable } from '../../base/text';
import { isSeenWhole } from '../../findings/image';
import { findings, type Rule } from '../../findings/rule';

export const layoutNestedRoot: Rule = {
  id: 'layout/nested-root',
  level: 'stop',
  title: 'The function’s files stand at the top of the artifact',
  why: 'Whoever zips a folder instead of its contents gets an archive in which everything sits one folder too deep, and nothing starts.',
  mend: 'Pack the contents of the folder, not the folder.',
  needs: [],
  check({ subject, facts: { entry } }) {
    if (isSeenWhole(subject)) return findings();
    const files = subject.entries.filter((e) => e.kind !== 'folder').map((e) => e.path);
    const top = files[0]?.split('/')[0] ?? '';
    // A path that leaves the artifact is another rule's finding.
    const allBelow = top !== '' && top !== '..' && files.every((path) => path.startsWith(`${top}/`));
    if (!allBelow || (entry !== undefined && files.includes(entry.file))) return findings();
    const entryBelow = entry !== undefined && files.includes(`${top}/${entry.file}`);
    // Classes in packages lie so; only a manifest one folder too deep, or the entry, tells a mistake.
    const { manifest } = subject.form;
    if (manifest !== undefined && !entryBelow && !files.includes(`${top}/${manifest}`)) return findings();
    return findings({
      level: entryBelow ? 'stop' : 'warn',
      where: `${printable(top)}/`,
      expected: 'files at the top of the artifact',
      found: `everything inside the folder \`${printable(top)}\`${entryBelow ? `, the entry \`${printable(entry.file)}\` too` : ''}`,
      mend: `pack the contents of \`${printable(top)}\`, not the folder itself`,
    });
  },
};
