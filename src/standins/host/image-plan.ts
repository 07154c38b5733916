/** What runs an image here. */
import type { Arch } from '../../core/sheet';

export interface ImagePlan {
  readonly arch: Arch;
  /** Absolute paths of the programs of those names. */
  readonly unshare: string;
  readonly mount: string;
  /** Absolute path of a static emulator, for another processor. */
  readonly emulator?: string;
}
