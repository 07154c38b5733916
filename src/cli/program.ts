/** The program's own name and version, and how to call it again. */
import { basename, relative } from 'node:path';

export const VERSION = '0.1.0';
/** As it stands in waybills. */
export const TOOL = `emballage ${VERSION}`;

/** What a person types to start the program the way it was started now: `emballage`, or `node bin/emballage.js`. */
export function programName(): string {
  const script = process.argv[1] ?? 'emballage';
  if (basename(script) !== 'emballage.js') return 'emballage';
  const path = relative(process.cwd(), script);
  return `node ${path.length < script.length ? path : script}`;
}
