import { placeIn, printable } from '../../base/text';
import { findings, type Finding, type Rule } from '../../findings/rule';

export const depsUnseen: Rule = {
  id: 'deps/unseen-import',
  level: 'note',
  title: 'Tracing saw every import',
  why: 'A module whose name is computed cannot be seen by reading. The package around the place is kept whole; what it loads from elsewhere may be missing.',
  mend: 'Try the function; name under `keep` what an import then misses.',
  needs: ['waybill'],
  check({ facts: { waybill } }) {
    const byKept = new Map<string, { first: string; count: number }>();
    for (const { file, line, what, kept } of waybill?.unseen ?? []) {
      const known = byKept.get(kept);
      byKept.set(kept, {
        first: known?.first ?? `${placeIn(file, line)}, \`${printable(what)}\``,
        count: (known?.count ?? 0) + 1,
      });
    }
    return findings(
      ...[...byKept].map(([kept, { first, count }]): Finding => ({
        level: 'note',
        where: printable(kept),
        expected: 'imports by constant names',
        found: `${first}${count > 1 ? ` and ${String(count - 1)} more` : ''}; all of \`${printable(kept)}\` is kept`,
        mend: 'try the function; add what it misses to `keep`',
      })),
    );
  },
};
