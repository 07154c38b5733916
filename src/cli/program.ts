/** The program's own name and version, and how to call it again. */
import { readFileSync } from 'node:fs';
import { basename, join, relative } from 'node:path';

export const VERSION = '0.1.0';
/** As it stands in waybills. */
export const TOOL = `emballage ${VERSION}`;

let own: string | undefined;

/** What tells this code from that of any other version: a digest that is made when it is built. */
export function code(): string {
  return (own ??= readFileSync(join(__dirname, '../code.txt'), 'utf8'));
}

/** What a person types to start the program the way it was started now: `emballage`, or `node bin/emballage.js`. */
export function programName(): string {
  const script = process.argv[1] ?? 'emballage';
  if (basename(script) !== 'emballage.js') return 'emballage';
  const path = relative(process.cwd(), script);
  return `node ${path.length < script.length ? path : script}`;
}
