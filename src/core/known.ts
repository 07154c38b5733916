/** What a sheet is read with: all languages, forms and ways of delivery. */
import { FORMS } from './forms';
import { LANGUAGES } from './languages';
import { WAYS } from './pipeline/deliver';
import type { Known } from './sheet';

/** Nothing is foreseen: everything that destinations may offer can be packed. */
export const KNOWN: Known = {
  all: LANGUAGES,
  foreseen: [],
  forms: FORMS,
  /** Loaded when a destination or the ledger is read: most commands read neither. */
  get ways() {
    return WAYS;
  },
};
