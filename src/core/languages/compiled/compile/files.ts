/** Which files of a source folder are for compilers, and which belong to the function. */
import { baseOf } from '../../../base/paths';

export interface CompilerFiles {
  readonly sources: RegExp;
  /** By name. */
  readonly settings: RegExp;
  /** By path. */
  readonly folders: RegExp;
}

/** Whether a file is read when the function is compiled, and not when it runs. */
export function isAmong({ sources, settings, folders }: CompilerFiles, path: string): boolean {
  return sources.test(path) || settings.test(baseOf(path)) || folders.test(path);
}
