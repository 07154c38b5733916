import { count, printable } from '../../base/text';
import { formatSize } from '../../base/units';
import { imageOf, layerName } from '../../findings/image';
import type { OpenLayer } from '../../disk/unpack/open-image';
import { findings, type Finding, type Rule } from '../../findings/rule';

/** Below that it is worth knowing, above it is worth doing something. */
const WARN_FROM_BYTES = 1024 * 1024;

export const imageShadowed: Rule = {
  id: 'image/shadowed',
  level: 'warn',
  title: 'No layer holds what an upper one hides',
  why: 'What is replaced or removed by an upper layer is still sent and stored with the lower one, and costs as if it were used.',
  mend: 'Remove it where it is added, or take a base without it.',
  needs: [],
  isOfLayers: true,
  check({ subject, facts }) {
    const byLayer = new Map<number, { bytes: number; files: number; largest: string; most: number; by: number }>();
    for (const { path, layer, by, size } of imageOf(subject).tree.shadowed) {
      const known = byLayer.get(layer) ?? { bytes: 0, files: 0, largest: path, most: 0, by };
      const isLargest = size > known.most;
      byLayer.set(layer, {
        bytes: known.bytes + size,
        files: known.files + 1,
        ...(isLargest ? { largest: path, most: size, by } : { largest: known.largest, most: known.most, by: known.by }),
      });
    }
    return findings(
      ...imageOf(subject).layers.flatMap(({ entries }, layer) => twiceIn(entries, layerName(facts, layer))),
      ...[...byLayer].map(([layer, { bytes, files, largest, by }]): Finding => ({
        level: bytes >= WARN_FROM_BYTES ? 'warn' : 'note',
        where: layerName(facts, layer),
        expected: 'only files that can be seen',
        found: `${formatSize(bytes)} in ${count(files, 'file')} that upper layers hide, such as \`${printable(largest)}\`, hidden by ${layerName(facts, by)}`,
        mend: 'remove it in the layer that adds it, or take a base without it',
      })),
    );
  },
};

/** A path that stands twice in one layer: which of the two counts is for whoever unpacks it to say (image-spec 1.1, layer.md). */
function twiceIn(entries: OpenLayer['entries'], where: string): Finding[] {
  const seen = new Set<string>();
  const twice = new Set<string>();
  for (const { head } of entries) {
    if (head.kind !== 'folder' && seen.has(head.path)) twice.add(head.path);
    seen.add(head.path);
  }
  const [first] = twice;
  if (first === undefined) return [];
  return [
    {
      level: 'warn',
      where,
      expected: 'each path once',
      found: `${count(twice.size, 'path')} twice, such as \`${printable(first)}\``,
      mend: 'make the layer anew: not everybody takes the same of the two',
    },
  ];
}
