/** Values whose names say that they are secret, where they look drawn and not written. */
import { isWritten, looksRandom, madeUp, type Detector } from '../detector';

const KEYS = ['api', 'access', 'private', 'signing', 'encryption', 'master', 'account', 'auth', 'secret'];
/** Names of secrets, or their ends. */
const ANCHORS = [
  ...['secret', 'token', 'passwd', 'password', 'passphrase', 'pwd', 'credential'],
  ...KEYS.flatMap((one) => [`${one}key`, `${one}_key`, `${one}-key`, `${one}.key`]),
];
/** Places in lists that go on, and the like: they are called tokens and let nobody in. */
const NO_SECRET = '(?<!(?:next|continuation|page|paging|pagination|sync|cursor|resume|scroll|change)[-_]?)';
/** What of a name may follow: `_access_key`, `Value`. */
const REST = '[A-Za-z]{0,16}(?:[-_.][A-Za-z]{1,12}){0,3}';

export const namedValue: Detector = {
  id: 'named-value',
  title: 'a value whose name says that it is secret',
  anchors: ANCHORS,
  pattern: new RegExp(
    `${NO_SECRET}[a-z]{3,10}(?:[-_.]key)?${REST}["'\\]]{0,2}\\s{0,4}(?:[:=]|=>|:=|\\|\\|=|\\?\\?=)\\s{0,4}(?<quote>\\\\?["'\`])(?<secret>[^"'\`\\s\\\\]{12,200})\\k<quote>`,
    'iy',
  ),
  isAtAnchor: true,
  isOne: (secret) => looksRandom(secret) && !isWritten(secret),
  examples: () => [
    `const apiKey = "${madeUp(32)}";`,
    `"client_secret": "${madeUp(24)}",`,
    `SIGNING_KEY = '${madeUp(40, '0123456789abcdef')}'`,
  ],
};

/** Files of settings have values without quotes. */
export const settingsLine: Detector = {
  id: 'settings-line',
  title: 'a secret in a file of settings',
  anchors: ANCHORS,
  pattern: new RegExp(
    `(?<=^(?:export\\s)?[\\w.-]{0,48})[a-z]{3,10}(?:[-_.]key)?${REST}\\s{0,4}[=:]\\s{0,4}(?<secret>[^\\s"'#;,]{12,200})\\s*$`,
    'imy',
  ),
  isAtAnchor: true,
  isOne: (secret) => looksRandom(secret) && !isWritten(secret),
  examples: () => [`export TIDE_API_KEY=${madeUp(28)}\n`, `db.password=${madeUp(18)}\n`],
};
