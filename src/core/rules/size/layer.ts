import { imageOf, layerName } from '../../findings/image';
import { checkLimit } from '../limit';
import { findings, type Rule } from '../../findings/rule';

export const sizeLayer: Rule = {
  id: 'size/layer',
  level: 'stop',
  title: 'No single layer is bigger than allowed',
  why: 'A layer is sent and unpacked whole: some registries refuse large ones, and a cut connection costs more of them.',
  mend: 'Cut it: name part of its files under `layers`, or take a smaller base.',
  needs: [],
  isOfLayers: true,
  check(context) {
    const { layers } = imageOf(context.subject);
    const largest = layers.reduce(
      (a, { descriptor }, i) => (descriptor.size > a.size ? { size: descriptor.size, i } : a),
      {
        size: -1,
        i: -1,
      },
    );
    if (largest.i < 0) return findings();
    return checkLimit(context, {
      key: 'layer',
      used: largest.size,
      unit: 'bytes',
      what: 'a layer',
      where: layerName(context.facts, largest.i),
      mend: 'name part of its files under `layers`, or take a smaller base',
    });
  },
};
