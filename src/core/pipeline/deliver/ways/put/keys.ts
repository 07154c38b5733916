/** What `deliver` says of addresses that files are put to. */
import { ADDRESS_WORDS, addressField, type WaySheetKeys } from '../../../../sheet';
import { settleToken, tokenField } from '../token-key';

export const putKeys: WaySheetKeys<'put'> = {
  field: addressField(ADDRESS_WORDS, 'https://files.harbour.example/{function}/{sha256}{ending}')
    .optional()
    .meta({
      description: `An address that files are put to by HTTP, with ${ADDRESS_WORDS.map((one) => `\`{${one}}\``).join(', ')}.`,
    }),
  beside: { token: tokenField },
  settle: (text) => ({ address: text.put as string, ...settleToken(text) }),
};
