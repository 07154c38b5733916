import { count, listed, printable } from '../../base/text';
import { baseLayers, imageOf, layerName } from '../../findings/image';
import { findings, type Finding, type Rule } from '../../findings/rule';

const SET_USER_OR_GROUP = 0o6000;
const SHOWN = 3;

export const imageSetuid: Rule = {
  id: 'image/setuid',
  level: 'warn',
  title: 'No program takes rights that its caller has not',
  why: 'Programs with the set-user-id or set-group-id bit let whoever breaks into a function become root; file capabilities give a part of that. Functions need none.',
  mend: 'Take the bit away in the layer that adds the file, or take a base without such programs.',
  needs: [],
  isOfLayers: true,
  check({ subject, facts }) {
    const byLayer = new Map<number, string[]>();
    for (const { path, node } of imageOf(subject).tree.walk()) {
      const { kind, mode, hasCapabilities } = node.head;
      if (kind !== 'file' || ((mode & SET_USER_OR_GROUP) === 0 && hasCapabilities !== true)) continue;
      byLayer.set(node.layer, [...(byLayer.get(node.layer) ?? []), path]);
    }
    const base = baseLayers(facts) ?? 0;
    return findings(
      ...[...byLayer].map(([layer, paths]): Finding => {
        const first = paths.slice(0, SHOWN).map((path) => `\`${printable(path)}\``);
        const rest = paths.length - first.length;
        return {
          // What a base brings is somebody else’s to mend.
          level: layer < base ? 'note' : 'warn',
          where: layerName(facts, layer),
          expected: 'no program with rights of its own',
          found: `${count(paths.length, 'program')}: ${rest > 0 ? `${first.join(', ')} and ${String(rest)} more` : listed(first)}`,
          mend: layer < base ? 'take a smaller base' : 'take them away: chmod u-s,g-s, setcap -r',
        };
      }),
    );
  },
};
