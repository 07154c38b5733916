/** Facts of Python modules by the digest of the file: parsing is the slow part of tracing, and packages do not change. */
import type { StateFolder } from '../../../project/state/state';
import { KEPT } from '../caches';
import type { ModuleFacts } from '../trace/facts';
import { readModuleFacts } from '../trace/module-facts';

/** The facts, where they are known. */
export function knownFacts(state: StateFolder, sha256: string): ModuleFacts | undefined {
  return state.recall(KEPT.facts, `${sha256}.json`) as ModuleFacts | undefined;
}

/** The facts, read where they are not known, and remembered. */
export function factsFor(state: StateFolder, sha256: string, read: () => string): ModuleFacts {
  const known = knownFacts(state, sha256);
  if (known !== undefined) return known;
  const facts = readModuleFacts(read());
  state.remember(KEPT.facts, `${sha256}.json`, facts);
  return facts;
}
