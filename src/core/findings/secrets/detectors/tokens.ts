/** Tokens of services, each told by its shape; those with a checksum are held to it. Shapes are facts, no names. */
import { crc32 } from 'node:zlib';
import { base62, entropy, HEX, isPlaceholder, isWritten, looksRandom, madeUp, type Detector } from '../detector';

/** A token of a fixed beginning, and so many letters of an alphabet. */
function shaped(
  id: string,
  prefixes: readonly string[],
  body: string,
  length: number,
  more: Partial<Detector> & { readonly alphabet?: string } = {},
): Detector {
  const starts = prefixes.map((one) => one.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')).join('|');
  const { alphabet, ...rest } = more;
  return {
    id,
    title: `a token that begins with \`${prefixes[0] ?? ''}\``,
    anchors: prefixes.map((one) => one.toLowerCase()),
    pattern: new RegExp(`(?<![A-Za-z0-9_])(?<secret>(?:${starts})${body})(?![A-Za-z0-9_])`, 'y'),
    isAtAnchor: true,
    isOne: (secret) => entropy(secret) > 3,
    examples: () => prefixes.map((prefix, i) => `token: ${prefix}${madeUp(length, alphabet, i + 3)}`),
    ...rest,
  };
}

/** Six letters of base 62 at its end are the CRC-32 of what is before them. */
function checked(id: string, prefixes: readonly string[], covers: (secret: string) => string): Detector {
  const body = '[A-Za-z0-9]{36}';
  const isOne = (secret: string): boolean => base62(crc32(covers(secret.slice(0, -6))), 6) === secret.slice(-6);
  const example = (prefix: string, i: number): string => {
    const head = `${prefix}${madeUp(30, undefined, i + 11)}`;
    return `key = "${head}${base62(crc32(covers(head)), 6)}"`;
  };
  return shaped(id, prefixes, body, 36, { isOne, examples: () => prefixes.map(example) });
}

const afterPrefix = (head: string): string => head.slice(4);

export const TOKENS: readonly Detector[] = [
  checked('checked-token', ['ghp_', 'gho_', 'ghu_', 'ghs_', 'ghr_'], afterPrefix),
  checked('checked-package-token', ['npm_'], afterPrefix),
  shaped('fine-grained-token', ['github_pat_'], '[A-Za-z0-9]{22}_[A-Za-z0-9]{59}', 82, {
    examples: () => [`github_pat_${madeUp(22)}_${madeUp(59)}`],
  }),
  shaped('project-token', ['glpat-', 'gldt-', 'glrt-'], '[A-Za-z0-9_-]{20,64}', 20),
  shaped('chat-token', ['xoxb-', 'xoxp-', 'xoxa-', 'xoxr-', 'xoxs-', 'xapp-'], '[0-9A-Za-z-]{24,200}', 40),
  shaped('payment-key', ['sk_live_', 'rk_live_'], '[A-Za-z0-9]{20,120}', 24),
  shaped('web-api-key', ['aiza'], '[A-Za-z0-9_-]{35}', 35, {
    title: 'a key of 39 letters for web interfaces',
    pattern: /(?<![A-Za-z0-9_])(?<secret>AIza[A-Za-z0-9_-]{35})(?![A-Za-z0-9_-])/y,
    examples: () => [`"key": "AIza${madeUp(35)}"`],
  }),
  shaped('oauth-access-token', ['ya29.'], '[A-Za-z0-9_-]{30,500}', 60),
  shaped('mail-api-key', ['SG.'], '[A-Za-z0-9_-]{22}\\.[A-Za-z0-9_-]{43}', 66, {
    examples: () => [`SG.${madeUp(22)}.${madeUp(43)}`],
  }),
  {
    id: 'caveat-token',
    title: 'a token with caveats',
    anchors: ['-ageicg', '-agenc'],
    // Macaroons, version 2, of an index: what they begin with in base64 is always the same.
    pattern: /(?<![A-Za-z0-9])(?<secret>[a-z]{3,8}-AgE[A-Za-z0-9_-]{50,400})(?![A-Za-z0-9_-])/g,
    examples: () => [`password = shelf-AgEIcG${madeUp(90)}`],
  },
  shaped('server-token', ['dop_v1_', 'doo_v1_', 'dor_v1_'], '[0-9a-f]{64}', 64, { alphabet: HEX }),
  shaped('shop-token', ['shpat_', 'shpca_', 'shppa_', 'shpss_'], '[0-9a-fA-F]{32}', 32, { alphabet: HEX }),
  shaped('vault-token', ['hvs.', 'hvb.'], '[A-Za-z0-9_-]{24,200}', 90),
  shaped('model-key', ['sk-proj-', 'sk-ant-', 'sk-svcacct-'], '[A-Za-z0-9_-]{32,220}', 80),
  shaped('hub-token', ['hf_'], '[A-Za-z]{34}', 34, {
    alphabet: 'abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ',
  }),
  shaped('registry-token', ['dckr_pat_'], '[A-Za-z0-9_-]{27}', 27),
  shaped('monitor-token', ['glsa_'], '[A-Za-z0-9]{32}_[0-9a-f]{8}', 41, {
    examples: () => [`glsa_${madeUp(32)}_${madeUp(8, HEX)}`],
  }),
  shaped('deploy-token', ['pul-', 'rdme_'], '[0-9a-f]{40,72}', 40, { alphabet: HEX }),
  {
    id: 'access-key-id',
    title: 'an access key, with the secret beside it',
    anchors: ['akia', 'asia'],
    pattern:
      /(?<![A-Z0-9])(?:AKIA|ASIA)[A-Z2-7]{16}(?![A-Z0-9])[\s\S]{0,300}?(?<![A-Za-z0-9/+=])(?<secret>[A-Za-z0-9/+]{40})(?![A-Za-z0-9/+=])/y,
    isAtAnchor: true,
    isOne: (secret) => entropy(secret) > 4 && !isPlaceholder(secret) && !/^[0-9a-f]{40}$/i.test(secret),
    examples: () => [`key_id = AKIA${madeUp(16, 'ABCDEFGHIJKLMNOPQRSTUVWXYZ234567')}\nsecret = ${madeUp(40)}\n`],
  },
  {
    id: 'bot-token',
    title: 'a token of a bot',
    anchors: [':aa'],
    pattern: /(?<![A-Za-z0-9])(?<secret>\d{8,10}:AA[A-Za-z0-9_-]{33})(?![A-Za-z0-9_-])/g,
    isOne: (secret) => entropy(secret) > 3.5,
    examples: () => [`bot = "123456789:AA${madeUp(33)}"`],
  },
  {
    id: 'webhook-url',
    title: 'an address that lets whoever knows it post',
    anchors: ['/services/t', '/webhooks/', '/webhook/'],
    pattern:
      /https:\/\/[\w.-]+\/(?:services\/T[A-Z0-9]{8,}\/B[A-Z0-9]{8,}\/|api\/webhooks\/\d{17,20}\/|webhooks?\/)(?<secret>[A-Za-z0-9_-]{24,100})/g,
    reach: [256, 256],
    isOne: (secret) => looksRandom(secret) && !isWritten(secret),
    examples: () => [
      `https://hooks.harbour.example/services/T${madeUp(9, 'ABCDEFGH123')}/B${madeUp(9, 'ABCDEFGH123')}/${madeUp(24)}`,
    ],
  },
  {
    id: 'report-address',
    title: 'an address with a secret key for reports',
    anchors: ['@'],
    isLikely: isAfterHex,
    pattern: /https:\/\/[0-9a-f]{32}:(?<secret>[0-9a-f]{32})@[\w.-]+\/\d+/g,
    reach: [128, 128],
    examples: () => [`https://${madeUp(32, HEX)}:${madeUp(32, HEX, 9)}@reports.harbour.example/12`],
  },
];

function isAfterHex(text: string, index: number): boolean {
  return /[0-9a-f]{8}$/.test(text.slice(Math.max(0, index - 8), index));
}
