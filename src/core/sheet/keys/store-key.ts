/** The key `store`: where results lie that many machines share. */
import { z } from 'zod';
import type { SharedStore } from '../model';
import type { SheetNotes } from '../text/notes';
import { plainHttp } from '../text/schema-words';
import { isRegistry, settleRegistry } from '../store-place';

export const storeField = z
  .strictObject(
    {
      registry: z
        .string({ error: 'a registry' })
        .refine((value) => isRegistry(value) && value.includes('/'), {
          error: '`HOST[:PORT]/NAMESPACE`, in small letters',
        })
        .meta({ description: 'Any registry of the open distribution standard, and the namespace for results in it.' }),
      write: z.boolean({ error: 'true or false' }).optional().meta({
        description: 'Put what is made here there. Default: false; EMBALLAGE_STORE_WRITE=1 says it for one machine.',
      }),
      'plain-http': plainHttp(),
      'signed-by': z
        .array(z.string({ error: 'the path of a file' }), { error: 'a list of files with public keys' })
        .optional()
        .meta({ description: 'Files with public keys (PEM): only what one of them has signed is taken.' }),
    },
    { error: 'a mapping with `registry`' },
  )
  .optional()
  .meta({
    description: 'Where results lie that many machines share, so that what one has built no other builds again.',
  });

export type StoreText = z.output<typeof storeField>;

/** Reads the key; mistakes are noted. */
export function settleStore(text: StoreText, notes: SheetNotes): { readonly store?: SharedStore } {
  if (text === undefined) return {};
  const signedBy = (text['signed-by'] ?? []).flatMap(
    (path, i) => notes.insidePath(['store', 'signed-by', String(i)], path, 'file') ?? [],
  );
  const registry = settleRegistry(text.registry, text['plain-http'] ?? false);
  return { store: { registry, write: text.write ?? false, signedBy } };
}
