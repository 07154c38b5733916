/** What `deliver` says of a host of functions. */
import { addressField, type WaySheetKeys } from '../../../../sheet';
import { settleToken, tokenField } from '../token-key';

export const hostKeys: WaySheetKeys<'host'> = {
  field: addressField([], 'https://host.harbour.example').optional().meta({
    description: 'A host of functions that speaks the protocol of `schemas/host.openapi.json`.',
  }),
  beside: { token: tokenField },
  settle: (text) => ({ address: (text.host as string).replace(/\/+$/, ''), ...settleToken(text) }),
};
