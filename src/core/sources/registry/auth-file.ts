/**
 * Logins for registries, from the file that engines and their clients share: `{"auths": {"HOST": {"auth": "BASE64"}}}`.
 * They are never shown.
 */
import { z } from 'zod';
import { EmballageError } from '../../base/errors';
import { printable } from '../../base/text';

export interface Login {
  readonly name: string;
  readonly password: string;
}

export interface RegistryLogins {
  /** @param host `harbour.example:5000` @param repository for entries that are for a part of a registry */
  loginFor(host: string, repository: string): Login | undefined;
}

export const NO_LOGINS: RegistryLogins = { loginFor: () => undefined };

const entry = z.looseObject({
  auth: z.string().optional(),
  username: z.string().optional(),
  password: z.string().optional(),
});
const authFile = z.looseObject({ auths: z.record(z.string(), entry).optional() });

/**
 * @param files text and name of each, the one that counts first first
 * @throws EmballageError REGISTRY_INVALID where one is not in the format
 */
export function readAuthFiles(files: readonly { readonly text: string; readonly shown: string }[]): RegistryLogins {
  const all = files.map(({ text, shown }) => readOne(text, shown));
  return {
    loginFor(host, repository) {
      for (const logins of all)
        for (const key of keysFor(host, repository)) {
          const found = logins.get(key);
          if (found !== undefined) return found;
        }
      return undefined;
    },
  };
}

/** An entry for a part of a registry comes before that for all of it. */
function keysFor(host: string, repository: string): string[] {
  const parts = repository.split('/');
  return [...parts.map((_, i) => `${host}/${parts.slice(0, parts.length - i).join('/')}`), host];
}

function readOne(text: string, shown: string): Map<string, Login> {
  const bad = (found: string, cause?: unknown): EmballageError =>
    new EmballageError(
      'REGISTRY_INVALID',
      {
        doing: 'reading logins for registries',
        where: printable(shown),
        expected: 'JSON with `auths`, a mapping of registries',
        found,
        mend: 'mend or remove the file, and log in again with the tool that wrote it',
      },
      cause,
    );
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch (error) {
    throw bad('text that is no JSON', error);
  }
  const read = authFile.safeParse(value);
  if (!read.success) throw bad(`\`${read.error.issues[0]?.path.map(String).join('.') ?? ''}\`, which is none`);
  const logins = new Map<string, Login>();
  for (const [key, { auth, username, password }] of Object.entries(read.data.auths ?? {})) {
    const [name = '', secret] = Buffer.from(auth ?? '', 'base64')
      .toString('utf8')
      .replace(/\0+$/, '')
      .split(/:(.*)/s);
    const login =
      secret === undefined ? { name: username ?? '', password: password ?? '' } : { name, password: secret };
    if (login.name !== '') logins.set(plainKey(key), login);
  }
  return logins;
}

/** Older files name registries by an address: `https://harbour.example/v2/`. */
function plainKey(key: string): string {
  return key
    .replace(/^https?:\/\//, '')
    .replace(/\/v[12]\/?$/, '')
    .replace(/\/+$/, '');
}
