import { printable } from '../../base/text';
import type { Runtime } from '../../sheet';
import { imageOf } from '../../findings/image';
import { findings, type Rule } from '../../findings/rule';

export const imageRuntimeMissing: Rule = {
  id: 'image/runtime-missing',
  level: 'stop',
  title: 'The image brings the runtime that the function asks for',
  why: 'In an image nobody else brings the interpreter: it is in a layer, in the right version, or the function does not start.',
  mend: 'Stand it on a base with that runtime.',
  needs: ['runtime'],
  isOfLayers: true,
  check({ subject, facts }) {
    const { runtime } = facts;
    const runtimeIn = subject.view?.runtimeIn;
    if (runtime === undefined || runtimeIn === undefined) return findings();
    const image = imageOf(subject);
    const found = runtimeIn(image, image.config.run.env);
    const mend = `take a base with ${runtime.text}`;
    if (found === undefined)
      return findings({ level: 'stop', expected: `${runtime.text} in the image`, found: 'nothing of the kind', mend });
    if (found.version === undefined || isRight(found.version, runtime)) return findings();
    return findings({
      level: 'stop',
      where: printable(found.program),
      expected: runtime.text,
      found: `version ${printable(found.version)}`,
      mend,
    });
  },
};

/** `20.20.2` is right for `20`, `3.11.2` for `3.11`. */
function isRight(version: string, { version: wanted }: Runtime): boolean {
  return version === wanted || version.startsWith(`${wanted}.`);
}
