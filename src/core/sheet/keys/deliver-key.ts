/** The keys `deliver` and `link` of a destination: how artifacts get there. */
import { z } from 'zod';
import type { Deliver } from '../model';
import type { OpenWay } from '../part';
import { addressField, LINK_WORDS } from './address';

type DeliverText = Readonly<Record<string, unknown>>;

/** Every way under its name, then what may stand beside them. */
export function deliverField(ways: readonly OpenWay[]) {
  const names = ways.map(({ way }) => `\`${way.name}\``).join(', ');
  const fields: Record<string, z.ZodType> = {
    ...Object.fromEntries(ways.map(({ way, keys }) => [way.name, keys.field])),
    ...(Object.assign({}, ...ways.map(({ keys }) => keys.beside)) as Record<string, z.ZodType>),
  };
  return z
    .strictObject(fields, { error: `a mapping with one of ${names}` })
    .refine((value) => waysIn(value, ways).length === 1, { error: `one of ${names}` })
    .optional()
    .meta({ description: 'How artifacts get there.' });
}

export const linkField = addressField(LINK_WORDS, 'https://harbour.example/new?from={location}')
  .optional()
  .meta({
    description: `An address that others follow to install what was sent, with ${LINK_WORDS.map((one) => `\`{${one}}\``).join(', ')}.`,
  });

function waysIn(text: DeliverText, ways: readonly OpenWay[]): OpenWay[] {
  return ways.filter(({ way }) => text[way.name] !== undefined);
}

/** @param text with exactly one way; undefined where the destination says none */
export function settleDeliver(text: DeliverText | undefined, ways: readonly OpenWay[]): { readonly deliver?: Deliver } {
  if (text === undefined) return {};
  const [found] = waysIn(text, ways);
  if (found === undefined) throw new Error('the schema let `deliver` pass without a way');
  return { deliver: { way: found.way.name, ...found.keys.settle(text) } as Deliver };
}
