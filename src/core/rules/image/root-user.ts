import { printable } from '../../base/text';
import { imageOf, userOf } from '../../findings/image';
import { findings, type Rule } from '../../findings/rule';

export const imageRootUser: Rule = {
  id: 'image/root-user',
  level: 'warn',
  title: 'The image does not run as root',
  why: 'What runs as root in an image can do more harm when it is broken into, and some hosts refuse to start it.',
  mend: 'Set `user` in the sheet to a number other than 0, or leave it out: the default is nobody.',
  needs: [],
  isOfLayers: true,
  check({ subject }) {
    const image = imageOf(subject);
    const { user } = image.config.run;
    const { uid, isGroupUnknown } = userOf(image);
    const mend = 'set `user: "65534:65534"`';
    if (uid === undefined || isGroupUnknown)
      return findings({
        level: 'stop',
        expected: 'a user that the image knows',
        found: `\`${printable(user)}\`, which is not in its \`etc/${uid === undefined ? 'passwd' : 'group'}\`: it does not start`,
        mend: 'name it by numbers, such as `65534:65534`',
      });
    if (uid !== 0) return findings();
    const isNumber = user === '' || /^(?:root|0+)(?::|$)/.test(user);
    return findings({
      level: 'warn',
      expected: 'a user that is not root',
      found:
        user === '' ? 'none, which is root' : `\`${printable(user)}\`${isNumber ? '' : ', who is root by its number'}`,
      mend,
    });
  },
};
