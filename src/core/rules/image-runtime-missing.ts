import { printable } from '../base/text';
import { findRuntime } from '../disk/in-image';
import type { Runtime } from '../sheet';
import { IMAGE, imageOf } from '../findings/image';
import { isNativeFunction } from '../findings/native-files';
import { findings, type Rule } from '../findings/rule';

export const imageRuntimeMissing: Rule = {
  id: 'image/runtime-missing',
  level: 'stop',
  title: 'The image brings the runtime that the function asks for',
  why: 'In an image nobody else brings the interpreter: it is in a layer, in the right version, or the function does not start.',
  mend: 'Stand it on a base with that runtime.',
  needs: ['runtime'],
  forms: IMAGE,
  check({ subject, facts }) {
    const { runtime } = facts;
    if (runtime === undefined || isNativeFunction(facts)) return findings();
    const image = imageOf(subject);
    const found = findRuntime(image, image.config.run.env, runtime);
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

/** `20.20.2` is right for `node 20`, `3.11.2` for `python 3.11`, `17.0.9` for `java 17`. */
function isRight(version: string, { version: wanted }: Runtime): boolean {
  return version === wanted || version.startsWith(`${wanted}.`);
}
