/** What papers claim of an artifact, and what is held to it. */
import type { PublicKey } from '../../formats/signing';
import type { PaperTexts } from '../../project/papers';
import type { Waybill } from '../../waybill';

export interface Claim {
  /** `the provenance is of the artifact`. */
  readonly what: string;
  /** `unknown`: nothing here can tell. */
  readonly holds: boolean | 'unknown';
  /** What was found instead, or who has signed; fit for printing. */
  readonly found?: string;
}

export interface KnownKey extends PublicKey {
  /** The file it is in. */
  readonly shown: string;
}

export interface VerifyRequest {
  /** Of the artifact, in hexadecimal; of an image’s manifest. */
  readonly sha256: string;
  /** Undefined where none is beside it. */
  readonly waybill: { readonly value: Waybill; readonly text: string } | undefined;
  readonly papers: PaperTexts;
  /** One of them is enough. */
  readonly keys: readonly KnownKey[];
}
