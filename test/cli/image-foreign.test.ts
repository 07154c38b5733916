import type { HandImage } from '../support/images';
import { changed, findingsIn, GOOD, NODE } from '../support/foreign-images';
import { HORN } from '../support/program';

describe('an image that somebody else made', () => {
  it.each<[string, HandImage, string]>([
    [
      'runs as somebody who is root by another name',
      { ...changed({ User: 'keeper' }), layers: [[NODE, { name: 'etc/passwd', data: 'keeper:x:0:0::/:/bin/sh\n' }]] },
      'image/root-user warn -: `keeper`, who is root by its number',
    ],
    [
      'runs as nobody that it knows',
      changed({ User: 'keeper' }),
      'image/root-user stop -: `keeper`, which is not in its `etc/passwd`: it does not start',
    ],
    [
      'keeps its folder from its user',
      {
        ...GOOD,
        layers: [
          [
            { name: 'app', type: '5', mode: 0o700 },
            { name: 'app/horn.mjs', data: HORN },
          ],
        ],
      },
      'layout/unreadable-mode stop app: 0700, of user 0',
    ],
    [
      'is for another processor than its index says',
      { ...GOOD, platform: { os: 'linux', architecture: 'arm64' } },
      'image/arch-mixed stop index.json: arm64',
    ],
    [
      'has programs with capabilities',
      {
        ...GOOD,
        layers: [
          [
            { name: 'x', type: 'x', data: '41 SCHILY.xattr.security.capability=tide\n' },
            { name: 'bin/ping', data: 'x', mode: 0o755 },
          ],
        ],
      },
      'image/setuid warn layer 1: 1 program: `bin/ping`',
    ],
    [
      'has one path twice',
      {
        ...GOOD,
        layers: [
          [
            { name: 'app/a', data: '1' },
            { name: 'app/a', data: '2' },
          ],
        ],
      },
      'image/shadowed warn layer 1: 1 path twice, such as `app/a`',
    ],
  ])('is told that it %s', (_what, image, expected) => {
    expect(findingsIn([image])).toContain(expected);
  });

  it('is not told of folders where it has no working folder, nor of files that its user owns', () => {
    const whole = { ...GOOD, config: { Entrypoint: ['/app/run'], User: '1000' } };
    const layers = [[{ name: 'app/run', data: '#!/app/run\n', mode: 0o755 }]];
    expect(findingsIn([{ ...whole, layers }])).toEqual([]);
    const own = [
      [NODE, { name: 'app', type: '5', mode: 0o700, uid: 1000 }, { name: 'app/a', data: 'a', mode: 0o400, uid: 1000 }],
    ];
    expect(findingsIn([{ ...GOOD, layers: own }])).toEqual([]);
  });
});
