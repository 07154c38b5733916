import { printable } from '../base/text';
import { IMAGE, imageOf } from '../findings/image';
import { findings, type Rule } from '../findings/rule';

export const imageRootUser: Rule = {
  id: 'image/root-user',
  level: 'warn',
  title: 'The image does not run as root',
  why: 'What runs as root in an image can do more harm when it is broken into, and some hosts refuse to start it.',
  mend: 'Set `user` in the sheet to a number other than 0, or leave it out: the default is nobody.',
  needs: [],
  forms: IMAGE,
  check({ subject }) {
    const { user } = imageOf(subject).config.run;
    const [name = ''] = user.split(':');
    if (name !== '' && name !== 'root' && !/^0+$/.test(name)) return findings();
    return findings({
      level: 'warn',
      expected: 'a user that is not root',
      found: user === '' ? 'none, which is root' : `\`${printable(user)}\``,
      mend: 'set `user: "65534:65534"`',
    });
  },
};
