/**
 * Adapters: a generated module that takes a request as an event, calls a web application with it (WSGI, PEP 3333; ASGI
 * 3.0), and gives the response back as plain data.
 */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { AdapterCalls, Entry } from '../../../sheet';

/** The generated module, and the member that the host calls instead of the application. */
export const ADAPTER_FILE = 'emballage_adapter.py';
const ADAPTER_MEMBER = 'handle';
/** Largest body of a response; a host holds whole answers in memory. */
const MOST_BODY_BYTES = 16 * 1024 * 1024;

/** The entry of the adapter, in the place of the one that the sheet names. */
export function adapterEntry(): Entry {
  return { text: `${ADAPTER_FILE}#${ADAPTER_MEMBER}`, file: ADAPTER_FILE, member: ADAPTER_MEMBER };
}

/**
 * The module's text for an application at `entry`.
 * @param shape where the parts of requests stand
 * @param isData whether events are given as their data alone
 */
export function adapterCode(adapter: 'wsgi' | 'asgi', entry: Entry, { shape, isData }: AdapterCalls): string {
  const template = (name: string): string => readFileSync(join(__dirname, 'adapters', `${name}.py`), 'utf8');
  const words: Readonly<Record<string, string>> = {
    module: entry.file.replace(/\.py$/, '').replaceAll('/', '.'),
    top: entry.member,
    member: entry.member,
    most: String(MOST_BODY_BYTES),
    // A text of JSON is one of Python too.
    shape: JSON.stringify(JSON.stringify({ request: shape.request, response: shape.response })),
    data: isData ? 'True' : 'False',
  };
  // Doubled braces stand for single ones, but not in what is put in.
  return template(adapter)
    .replace('{shared}', () => template('shared'))
    .split(/(\{\{|\}\}|\{\w+\})/)
    .map((part) => (part === '{{' ? '{' : part === '}}' ? '}' : (words[/^\{(\w+)\}$/.exec(part)?.[1] ?? ''] ?? part)))
    .join('')
    .trimEnd()
    .concat('\n');
}
