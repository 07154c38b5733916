import { printable } from '../../base/text';
import { ANNOTATION } from '../../formats/oci';
import { imageOf } from '../../findings/image';
import { findings, type Rule } from '../../findings/rule';

export const imageBaseMoving: Rule = {
  id: 'image/base-moving',
  level: 'stop',
  title: 'What the image stands on is known by its digest, not only by a tag',
  why: 'A tag names another image tomorrow. Without the digest nobody can build the same again, or tell what is in it.',
  mend: 'Settle the base with `emballage lock`, and build from what the lock says.',
  needs: [],
  isOfLayers: true,
  check({ subject }) {
    const { annotations } = imageOf(subject).manifest;
    const name = annotations[ANNOTATION.baseName];
    if (name === undefined || annotations[ANNOTATION.baseDigest] !== undefined || name.includes('@sha256:'))
      return findings();
    return findings({
      level: 'stop',
      where: printable(name),
      expected: `its digest beside it (\`${ANNOTATION.baseDigest}\`)`,
      found: 'only the name, which may mean another image tomorrow',
      mend: 'settle it with `emballage lock`',
      mendByHand: 'ask who built the image for the digest, and say it in its annotations',
    });
  },
};
