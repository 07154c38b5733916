/** What `deliver` says of a registry. */
import { z } from 'zod';
import { plainHttp, registry, settleRegistry, type WaySheetKeys } from '../../../../sheet';

const fields = {
  registry: registry()
    .optional()
    .meta({ description: 'A registry of the open distribution standard, `HOST[:PORT]/NAMESPACE`.' }),
  'plain-http': plainHttp(),
};

export const registryKeys: WaySheetKeys<'registry'> = {
  field: fields.registry,
  beside: { 'plain-http': fields['plain-http'] },
  settle(text) {
    const written = text as z.output<z.ZodObject<typeof fields>>;
    return { registry: settleRegistry(written.registry ?? '', written['plain-http'] ?? false) };
  },
};
