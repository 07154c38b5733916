/**
 * The configuration files of npm's registry clients (`.npmrc`): which registry serves which name, and the logins for
 * them. Logins go into requests and nowhere else.
 */
import { parse } from 'ini';
import { present } from '../../../base/present';
import { readAuthorities, type ChosenSource, type Way } from '../../../sources';
import { NO_CREDENTIALS, type Credentials } from '../../../toolchains/credentials';

export interface NpmConfigFile {
  readonly text: string;
  /** What messages call it. */
  readonly shown: string;
  /** It is a variable of the environment, written as a line. */
  readonly isVariable?: true;
  /** Variables of the environment that `${NAME}` in the file stands for. */
  readonly variable: (name: string) => string | undefined;
}

export interface NpmConfig {
  /** The registry that serves a package, its address ending in `/`; undefined where none is configured. */
  registryFor(name: string): ChosenSource | undefined;
  readonly credentials: Credentials;
  readonly way: Way;
  /** What is to be said of the files. */
  readonly notes: readonly string[];
}

interface Setting {
  readonly value: string;
  readonly shown: string;
}
type Settings = ReadonlyMap<string, Setting>;

/**
 * @param files the first that states a key counts
 * @param others logins for hosts that the files say nothing of
 */
export function readNpmConfig(files: readonly NpmConfigFile[], others: Credentials = NO_CREDENTIALS): NpmConfig {
  const settings = new Map<string, Setting>();
  for (const file of files)
    for (const [key, value] of readFile(file)) if (!settings.has(key)) settings.set(key, { value, shown: file.shown });
  const registry = (key: string): ChosenSource | undefined => {
    const found = settings.get(key);
    if (found === undefined || !/^https?:\/\//.test(found.value)) return undefined;
    const why = found.shown.toLowerCase().startsWith('npm_config_') ? found.shown : `\`${key}\` in ${found.shown}`;
    return { kind: 'index', at: found.value.replace(/\/*$/, '/'), why };
  };
  const isLax = settings.get('strict-ssl');
  return {
    registryFor: (name) => registry(`${/^@[^/]+/.exec(name)?.[0] ?? ''}:registry`) ?? registry('registry'),
    credentials: {
      authorizationFor: (url) => authorization(settings, url) ?? others.authorizationFor(url),
    },
    way: wayOf(settings),
    notes:
      isLax?.value === 'false'
        ? [`certificates are verified all the same (\`strict-ssl\` in ${isLax.shown}); \`cafile\` names authorities`]
        : [],
  };
}

function wayOf(settings: Settings): Way {
  const text = (key: string): string | undefined => {
    const value = settings.get(key)?.value;
    return value === undefined || value === '' || value === 'null' ? undefined : value;
  };
  const file = settings.get('cafile');
  const authorities = [
    ...(text('cafile') === undefined
      ? []
      : [readAuthorities(text('cafile') ?? '', `\`cafile\` in ${file?.shown ?? ''}`)]),
    ...(text('ca') === undefined ? [] : [(text('ca') ?? '').replaceAll('\\n', '\n')]),
  ];
  const proxies = present({
    http: text('proxy') ?? text('http-proxy'),
    https: text('https-proxy'),
    except: text('noproxy') ?? text('no-proxy'),
  });
  return {
    ...(authorities.length > 0 && { authorities }),
    ...(Object.keys(proxies).length > 0 && { proxies }),
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
      (settings.get(`//${url.host}${path}/:${key}`) ?? settings.get(`//${url.host}${path}:${key}`))?.value;
    const [token, login, user, password] = [of('_authToken'), of('_auth'), of('username'), of('_password')];
    if (token !== undefined) return `Bearer ${token}`;
    if (login !== undefined) return `Basic ${login}`;
    if (user !== undefined && password !== undefined)
      return `Basic ${Buffer.from(`${user}:${Buffer.from(password, 'base64').toString('utf8')}`).toString('base64')}`;
    if (path === '') return undefined;
  }
}
