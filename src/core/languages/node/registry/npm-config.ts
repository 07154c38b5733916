/**
 * The configuration files of npm's registry clients (`.npmrc`): which registry serves which name, and the logins for
 * them. Logins go into requests and nowhere else.
 */
import { parse } from 'ini';
import { NO_CREDENTIALS, type Credentials } from '../../../toolchains/credentials';

export interface NpmConfigFile {
  readonly text: string;
  /** Variables of the environment that `${NAME}` in the file stands for. */
  readonly variable: (name: string) => string | undefined;
}

export interface NpmConfig {
  /** Base address, ending in `/`, of the registry that serves a package; undefined where none is configured. */
  registryFor(name: string): string | undefined;
  readonly credentials: Credentials;
}

type Settings = ReadonlyMap<string, string>;

/**
 * @param files the first that states a key counts
 * @param others logins for hosts that the files say nothing of
 */
export function readNpmConfig(files: readonly NpmConfigFile[], others: Credentials = NO_CREDENTIALS): NpmConfig {
  const settings = new Map<string, string>();
  for (const file of files) for (const [key, value] of readFile(file)) if (!settings.has(key)) settings.set(key, value);
  const registry = (key: string): string | undefined => {
    const value = settings.get(key);
    return value === undefined || !/^https?:\/\//.test(value) ? undefined : value.replace(/\/*$/, '/');
  };
  return {
    registryFor: (name) => registry(`${/^@[^/]+/.exec(name)?.[0] ?? ''}:registry`) ?? registry('registry'),
    credentials: {
      authorizationFor: (url) => authorization(settings, url) ?? others.authorizationFor(url),
    },
  };
}

function readFile({ text, variable }: NpmConfigFile): [string, string][] {
  return Object.entries(parse(text)).flatMap(([key, value]) => {
    if (typeof value !== 'string') return [];
    // A variable that is not set stays as it stands, and then fits no registry.
    const filled = value.replace(/\$\{([^}?]+)(\??)\}/g, (whole, name: string, maybe: string) =>
      maybe === '' ? (variable(name) ?? whole) : (variable(name) ?? ''),
    );
    return [[key, filled]];
  });
}

/** Logins stand under `//HOST/PATH/:KEY`; the longest path that the address begins with counts. */
function authorization(settings: Settings, url: URL): string | undefined {
  for (let path = url.pathname; ; path = path.slice(0, path.lastIndexOf('/'))) {
    const of = (key: string): string | undefined =>
      settings.get(`//${url.host}${path}/:${key}`) ?? settings.get(`//${url.host}${path}:${key}`);
    const [token, login, user, password] = [of('_authToken'), of('_auth'), of('username'), of('_password')];
    if (token !== undefined) return `Bearer ${token}`;
    if (login !== undefined) return `Basic ${login}`;
    if (user !== undefined && password !== undefined)
      return `Basic ${Buffer.from(`${user}:${Buffer.from(password, 'base64').toString('utf8')}`).toString('base64')}`;
    if (path === '') return undefined;
  }
}
