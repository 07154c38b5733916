/** What lies in layers that were opened before, so that they need not be unpacked to be known. */
import { statSync } from 'node:fs';
import type { LayerMemory } from '../../disk/unpack/open-image';
import type { LayerListing } from '../../disk/unpack/plain-layer';
import { hexOf, type Descriptor, type Stretch } from '../../formats/oci';
import { KINDS, type StateFolder } from '../../project/state/state';
import { blobStore } from './blob-store';

/** Keeps in the state folder what lies in layers, by their digests. */
export function layerMemory(state: StateFolder): LayerMemory {
  const store = blobStore({ state });
  return {
    isVerified: (blob, hex) => isThere(blob, store.find(hex)),
    recall: (layer, diffId) => state.recall(KINDS.listings, nameOf(layer, diffId)) as LayerListing | undefined,
    remember: (layer, diffId, listing) => state.remember(KINDS.listings, nameOf(layer, diffId), listing),
  };
}

/** The same file under two names, of which one is known to be whole. */
function isThere({ path, at }: Stretch, known: Stretch | undefined): boolean {
  if (known === undefined || at !== 0) return false;
  const [one, other] = [statSync(path), statSync(known.path)];
  return one.dev === other.dev && one.ino === other.ino;
}

function nameOf({ digest }: Descriptor, diffId: string): string {
  return `${hexOf(digest)}-${hexOf(diffId)}.json`;
}
