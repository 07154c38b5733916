/** Credentials from a netrc file (the format of ftp(1)): a login and a password for each host. They are never shown. */
import { percentDecoded } from '../base/text';

export interface Credentials {
  /** Value of the Authorization header for a URL, where there are credentials for its host. */
  authorizationFor(url: URL): string | undefined;
}

interface Login {
  login: string;
  password: string;
}

/** Logins from the text of a netrc file (ftp(1)). */
export function readNetrc(text: string): Credentials {
  const machines = new Map<string, Login>();
  let fallback: Login | undefined;
  let current: Login | undefined;
  const words = tokens(text);
  for (let at = 0; at < words.length; at++) {
    if (words[at] === 'default') {
      current = fallback = { login: '', password: '' };
      continue;
    }
    const value = words[at + 1] ?? '';
    if (words[at] === 'machine') machines.set(value.toLowerCase(), (current = { login: '', password: '' }));
    else if (words[at] === 'login' && current !== undefined) current.login = value;
    else if (words[at] === 'password' && current !== undefined) current.password = value;
    // Anything else is passed over by itself.
    else if (words[at] !== 'account') continue;
    at += 1;
  }
  return {
    authorizationFor(url) {
      // What stands in the URL itself comes first.
      if (url.username !== '') return basic(percentDecoded(url.username), percentDecoded(url.password));
      const login = machines.get(url.hostname.toLowerCase()) ?? fallback;
      return login === undefined ? undefined : basic(login.login, login.password);
    },
  };
}

/** Logins that stand in addresses, for all that lies on their hosts; others for other hosts. */
export function loginsOf(addresses: readonly string[], others: Credentials): Credentials {
  const logins = new Map<string, string>();
  for (const address of addresses) {
    const url = URL.canParse(address) ? new URL(address) : undefined;
    const login = url === undefined || url.username === '' ? undefined : NO_CREDENTIALS.authorizationFor(url);
    if (url !== undefined && login !== undefined && !logins.has(url.host)) logins.set(url.host, login);
  }
  return {
    authorizationFor: (url) =>
      NO_CREDENTIALS.authorizationFor(url) ?? logins.get(url.host) ?? others.authorizationFor(url),
  };
}

export const NO_CREDENTIALS: Credentials = readNetrc('');

function basic(login: string, password: string): string {
  return `Basic ${Buffer.from(`${login}:${password}`).toString('base64')}`;
}

/** Words, some in quotes; comments, and macro definitions up to the next empty line, are passed over. */
function tokens(text: string): string[] {
  const words: string[] = [];
  let isMacro = false;
  const plain: string[] = [];
  for (const line of text.split(/\r?\n/)) {
    const trimmed = line.trim();
    isMacro = isMacro ? trimmed !== '' : /^macdef\b/.test(trimmed);
    if (!isMacro && !trimmed.startsWith('#')) plain.push(line);
  }
  for (const [, quoted, bare] of plain.join('\n').matchAll(/"((?:[^"\\]|\\.)*)"|(\S+)/g))
    words.push(quoted === undefined ? (bare ?? '') : quoted.replace(/\\(.)/g, '$1'));
  return words;
}

/** A URL as it may be shown and recorded: without login and password. */
export function withoutCredentials(url: string): string {
  const parsed = new URL(url);
  parsed.username = '';
  parsed.password = '';
  return parsed.href;
}
