/** Addresses with words in braces. */
import { listed } from '../../base/text';
import { text } from '../text/schema-words';

/** What stands in braces in addresses. */
export const ADDRESS_WORDS = ['function', 'arch', 'sha256', 'ending'] as const;
export const LINK_WORDS = [...ADDRESS_WORDS, 'location', 'version'] as const;

const ADDRESS = /^https?:\/\/[^\s/@]+(?:\/\S*)?$/;

/** Words in braces that none of these are. */
function strangeWord(value: string, words: readonly string[]): string | undefined {
  return [...value.matchAll(/\{([^}]*)\}/g)].map(([, word = '']) => word).find((word) => !words.includes(word));
}

/** An address by HTTP. @param words that may stand in braces in it @param sample of one */
export function addressField(words: readonly string[], sample: string) {
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
