import { count, printable } from '../../base/text';
import { imageArch, imageOf, layerName, machineOf } from '../../findings/image';
import { archOfPlatform } from '../../formats/oci';
import { findings, type Finding, type Rule } from '../../findings/rule';

export const imageArchMixed: Rule = {
  id: 'image/arch-mixed',
  level: 'stop',
  title: 'Every compiled file in every layer is for the image’s architecture',
  why: 'A base or a package for another processor is found out only when it is started, by a message that seldom says so.',
  mend: 'Take a base for this architecture, and settle the packages for it.',
  needs: [],
  isOfLayers: true,
  check({ subject, facts }) {
    const image = imageOf(subject);
    const wanted = imageArch(image);
    const wrong = new Map<string, { readonly layer: number; readonly machine: string; readonly paths: string[] }>();
    for (const { path, node } of image.tree.walk()) {
      const machine = machineOf(image, node);
      if (machine === undefined || machine === wanted) continue;
      const key = `${String(node.layer)} ${machine}`;
      const group = wrong.get(key) ?? { layer: node.layer, machine, paths: [] };
      wrong.set(key, group);
      group.paths.push(path);
    }
    const found = [...wrong.values()].map(({ layer, machine, paths }): Finding => ({
      level: 'stop',
      where: layerName(facts, layer),
      expected: `files for ${wanted}, as the image says`,
      found: `${count(paths.length, 'file')} for ${machine}, such as \`${printable(paths[0] ?? '')}\``,
      mend: `take a base and packages for ${wanted}`,
    }));
    const { platform } = image.descriptor;
    const stated = platform === undefined ? wanted : (archOfPlatform(platform.architecture) ?? platform.architecture);
    if (stated !== wanted)
      found.unshift({
        level: 'stop',
        where: 'index.json',
        expected: `the processor that its configuration says, ${printable(wanted)}`,
        found: printable(stated),
        mend: 'make the index anew: hosts choose by it',
      });
    if (facts.arch !== undefined && facts.arch !== wanted)
      found.unshift({
        level: 'stop',
        expected: `an image for ${facts.arch}`,
        found: `one that says it is for ${printable(wanted)}`,
        mend: `build it for ${facts.arch}, or name the right one`,
      });
    return findings(...found);
  },
};
