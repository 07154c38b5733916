/** What the program is, down to the code: what a report of a fault needs. */
import { arch, platform } from 'node:os';
import { code, VERSION } from '../program';

export interface VersionDocument {
  readonly version: string;
  /** Digest of the code. */
  readonly code: string;
  /** Version of the runtime. */
  readonly runtime: string;
  /** `linux x64`. */
  readonly system: string;
}

/** The document of `--version --json`. */
export function versionDocument(): VersionDocument {
  return { version: VERSION, code: code().trim(), runtime: process.version, system: `${platform()} ${arch()}` };
}

/** Name and version in one line. */
export function versionText(): string {
  const { version, code: own, runtime, system } = versionDocument();
  return `emballage ${version} (code ${own}, runtime ${runtime}, ${system})`;
}
