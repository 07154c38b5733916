/** The adapter `http`: a generated module that takes a request as an event and gives it to a Node.js web application. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { AdapterCalls, Entry } from '../../../sheet';

/** The generated module, and the member that the host calls instead of the application. */
export const HTTP_ADAPTER_FILE = 'emballage-adapter.mjs';
const ADAPTER_MEMBER = 'handle';
/** Largest body of a response; a host holds whole answers in memory. */
const MOST_BODY_BYTES = 16 * 1024 * 1024;

/** The entry of the adapter, in the place of the one that the sheet names. */
export function httpAdapterEntry(): Entry {
  return { text: `${HTTP_ADAPTER_FILE}#${ADAPTER_MEMBER}`, file: HTTP_ADAPTER_FILE, member: ADAPTER_MEMBER };
}

/** The module's text for an application at `entry`, called in such a way. */
export function httpAdapterCode(entry: Entry, { shape, isData }: AdapterCalls): string {
  return readFileSync(join(__dirname, 'adapters', 'http.mjs'), 'utf8')
    .replace("'{file}'", JSON.stringify(`./${entry.file}`))
    .replaceAll("'{member}'", JSON.stringify(entry.member))
    .replace("'{most}'", String(MOST_BODY_BYTES))
    .replace("'{data}'", String(isData))
    .replace("'{shape}'", () => JSON.stringify({ request: shape.request, response: shape.response }));
}
