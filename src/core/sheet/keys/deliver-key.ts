/** The keys `deliver` and `link` of a destination: how artifacts get there. */
import { z } from 'zod';
import { listed } from '../../base/text';
import { parseTime, TIME_PATTERN } from '../../base/units';
import type { Deliver } from '../model';
import { pattern, plainHttp, registry, SETTING_PATTERN, text } from '../text/schema-words';
import { settleRegistry } from '../store-place';

/** What stands in braces in addresses. */
export const ADDRESS_WORDS = ['function', 'arch', 'sha256', 'ending'] as const;
export const LINK_WORDS = [...ADDRESS_WORDS, 'location', 'version'] as const;

const DEFAULT_TIME_MS = 5 * 60_000;
const ADDRESS = /^https?:\/\/[^\s/@]+(?:\/\S*)?$/;

const variable = pattern(SETTING_PATTERN, 'the name of an environment variable');

/** Words in braces that none of these are. */
function strangeWord(value: string, words: readonly string[]): string | undefined {
  return [...value.matchAll(/\{([^}]*)\}/g)].map(([, word = '']) => word).find((word) => !words.includes(word));
}

function address(words: readonly string[], sample: string) {
  const known =
    words.length === 0
      ? ''
      : `, with ${listed(
          words.map((one) => `\`{${one}}\``),
          'and',
        )} at most`;
  const expected = `an address such as \`${sample}\`${known}`;
  return text(expected)
    .regex(ADDRESS, { error: `${expected}, without a login` })
    .refine((value) => strangeWord(value, words) === undefined, { error: expected });
}

export const deliverField = z
  .strictObject(
    {
      registry: registry()
        .optional()
        .meta({ description: 'A registry of the open distribution standard, `HOST[:PORT]/NAMESPACE`.' }),
      folder: text('a folder').min(1, { error: 'a folder' }).optional().meta({
        description: 'A folder or mounted share; where the path is relative, from the project folder.',
      }),
      put: address(ADDRESS_WORDS, 'https://files.harbour.example/{function}/{sha256}{ending}')
        .optional()
        .meta({
          description: `An address that files are put to by HTTP, with ${ADDRESS_WORDS.map((one) => `\`{${one}}\``).join(', ')}.`,
        }),
      host: address([], 'https://host.harbour.example')
        .optional()
        .meta({ description: 'A host of functions that speaks the protocol of `schemas/host.openapi.json`.' }),
      program: z
        .array(text('a word'), { error: 'the program and its words, as a list' })
        .min(1, { error: 'the program and its words' })
        .optional()
        .meta({
          description:
            'A program of the team’s own: JSON on its standard input, JSON back. A path with `/` is from the project folder.',
        }),
      'plain-http': plainHttp(),
      token: variable.optional().meta({
        description: '`put`, `host`: the environment variable with a bearer token. Otherwise the netrc file is asked.',
      }),
      time: pattern(TIME_PATTERN, 'a time such as `5 min` (ms, s, min or h)')
        .optional()
        .meta({ description: '`program`: how long it may take. Default: `5 min`.' }),
    },
    { error: 'a mapping with one of `registry`, `folder`, `put`, `host`, `program`' },
  )
  .refine((value) => waysIn(value).length === 1, {
    error: 'one of `registry`, `folder`, `put`, `host`, `program`',
  })
  .optional()
  .meta({ description: 'How artifacts get there.' });

export const linkField = address(LINK_WORDS, 'https://harbour.example/new?from={location}')
  .optional()
  .meta({
    description: `An address that others follow to install what was sent, with ${LINK_WORDS.map((one) => `\`{${one}}\``).join(', ')}.`,
  });

type DeliverText = z.output<typeof deliverField>;

const WAYS = ['registry', 'folder', 'put', 'host', 'program'] as const;

function waysIn(value: Readonly<Record<string, unknown>>): string[] {
  return WAYS.filter((way) => value[way] !== undefined);
}

/** @param registry the short form, `registry` at the top of a destination */
export function settleDeliver(
  value: DeliverText,
  registry: string | undefined,
  plainHttp: boolean | undefined,
): { readonly deliver?: Deliver } {
  if (value === undefined)
    return registry === undefined
      ? {}
      : { deliver: { way: 'registry', registry: settleRegistry(registry, plainHttp ?? false) } };
  return { deliver: settleWay(value) };
}

/** @param value with exactly one way */
function settleWay(value: NonNullable<DeliverText>): Deliver {
  const { registry, folder, put, host, program = [], token, time = '' } = value;
  const login = token === undefined ? {} : { tokenFrom: token };
  if (registry !== undefined)
    return { way: 'registry', registry: settleRegistry(registry, value['plain-http'] ?? false) };
  if (folder !== undefined) return { way: 'folder', folder };
  if (put !== undefined) return { way: 'put', address: put, ...login };
  if (host !== undefined) return { way: 'host', address: host.replace(/\/+$/, ''), ...login };
  return { way: 'program', command: program, timeMs: parseTime(time) ?? DEFAULT_TIME_MS };
}
