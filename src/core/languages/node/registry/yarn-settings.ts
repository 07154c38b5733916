/** The settings files of Yarn, as lines of an `.npmrc`: which registry serves which names, logins, and how it is reached. */
import { parse } from 'yaml';
import { asRecord } from '../packages';

/** `.yarnrc`, of format 1: two words a line, which are those of `.npmrc`. */
export function linesOfYarnrc(text: string): string {
  return [...text.matchAll(/^\s*"?([@\w./:-]+)"?\s+"?([^"\s]+)"?\s*$/gm)]
    .map(([, key = '', value = '']) => `${key}=${value}`)
    .join('\n');
}

/** `.yarnrc.yml`; what is no YAML says nothing, as Yarn itself tells. */
export function linesOfYarnrcYml(text: string): string {
  let value: Record<string, unknown>;
  try {
    value = asRecord(parse(text, { maxAliasCount: 0 }));
  } catch {
    return '';
  }
  const lines: string[] = [];
  const put = (key: string, one: unknown): void => {
    if (typeof one === 'string') lines.push(`${key}=${one.replace(/\$\{([^:}-]+)[^}]*\}/g, '${$1}')}`);
  };
  put('registry', value.npmRegistryServer);
  put('cafile', value.httpsCaFilePath ?? value.caFilePath);
  put('proxy', value.httpProxy);
  put('https-proxy', value.httpsProxy);
  const login = (registry: unknown, of: Record<string, unknown>): void => {
    if (typeof registry !== 'string') return;
    const at = `//${registry.replace(/^https?:\/\//, '').replace(/\/*$/, '/')}:`;
    put(`${at}_authToken`, of.npmAuthToken);
    if (typeof of.npmAuthIdent === 'string')
      put(
        `${at}_auth`,
        of.npmAuthIdent.includes(':') ? Buffer.from(of.npmAuthIdent).toString('base64') : of.npmAuthIdent,
      );
  };
  login(value.npmRegistryServer, value);
  for (const [scope, one] of Object.entries(asRecord(value.npmScopes))) {
    const { npmRegistryServer } = asRecord(one);
    put(`@${scope}:registry`, npmRegistryServer);
    login(npmRegistryServer, asRecord(one));
  }
  for (const [registry, one] of Object.entries(asRecord(value.npmRegistries)))
    login(registry.startsWith('//') ? `https:${registry}` : registry, asRecord(one));
  return lines.join('\n');
}
