/** The settings file of Maven: logins by the id of a repository, and mirrors that stand in for repositories. */
import { EmballageError } from '../../../base/errors';
import { present } from '../../../base/present';
import { printable } from '../../../base/text';
import { child, children, childText, readXml } from '../../../formats/xml';

export interface MavenSettings {
  /** Where to ask instead of a repository, with the id that logins are found by; the repository itself without a mirror. */
  mirrorFor(repository: MavenRepository): MavenRepository;
  /** Value of the Authorization header. @throws EmballageError for a password that only Maven can read */
  loginFor(id: string | undefined): string | undefined;
}

export interface MavenRepository {
  readonly id?: string;
  /** Address, without a slash at the end. */
  readonly url: string;
}

interface Server {
  readonly user: string;
  readonly password: string;
  readonly shown: string;
}

/** @throws EmballageError REQUIREMENTS_INVALID for a file that is no settings file */
export function readMavenSettings(
  files: readonly { readonly text: string; readonly shown: string }[],
  variable: (name: string) => string | undefined,
): MavenSettings {
  const servers = new Map<string, Server>();
  const mirrors: { readonly of: string; readonly repository: MavenRepository }[] = [];
  // A variable that is not set stays as it stands.
  const fill = (text: string): string =>
    text.replace(/\$\{env\.([^{}]+)\}/g, (whole, name: string) => variable(name) ?? whole);
  for (const { text, shown } of files) {
    const read = readXml(text);
    if ('fault' in read) {
      const { line, column, what } = read.fault;
      throw new EmballageError('REQUIREMENTS_INVALID', {
        doing: 'reading Maven’s settings',
        where: `${printable(shown)}:${String(line)}:${String(column)}`,
        expected: 'XML with `<settings>`',
        found: what,
        mend: 'mend the file',
      });
    }
    for (const one of children(child(read.root, 'servers'), 'server')) {
      const id = childText(one, 'id');
      if (id === undefined || servers.has(id)) continue;
      servers.set(id, {
        user: fill(childText(one, 'username') ?? ''),
        password: fill(childText(one, 'password') ?? ''),
        shown,
      });
    }
    for (const one of children(child(read.root, 'mirrors'), 'mirror')) {
      const [of, url] = [childText(one, 'mirrorOf'), childText(one, 'url')];
      if (of === undefined || url === undefined || childText(one, 'blocked') === 'true') continue;
      mirrors.push({ of, repository: present({ id: childText(one, 'id'), url: fill(url).replace(/\/+$/, '') }) });
    }
  }
  return {
    mirrorFor: (repository) => mirrors.find(({ of }) => isMirrorOf(of, repository))?.repository ?? repository,
    loginFor: (id) => login(id === undefined ? undefined : servers.get(id), id ?? ''),
  };
}

/** `*`, `external:*`, ids, and `!id` for those that it does not stand in for. */
function isMirrorOf(pattern: string, { id = '', url }: MavenRepository): boolean {
  const parts = pattern.split(',').map((one) => one.trim());
  if (id !== '' && parts.includes(`!${id}`)) return false;
  const isLocal = /^file:|^https?:\/\/(?:localhost|127\.|\[::1\])/.test(url);
  return parts.some((one) => one === '*' || (one === 'external:*' && !isLocal) || (id !== '' && one === id));
}

function login(server: Server | undefined, id: string): string | undefined {
  if (server === undefined || server.user === '') return undefined;
  if (/^\{.*\}$/.test(server.password))
    throw new EmballageError('REQUIREMENTS_INVALID', {
      doing: 'reading Maven’s settings',
      where: printable(server.shown),
      expected: `a password for \`${printable(id)}\` that can be read`,
      found: 'one that only Maven can decrypt',
      mend: 'write `${env.NAME}` there, and set that variable',
    });
  return `Basic ${Buffer.from(`${server.user}:${server.password}`).toString('base64')}`;
}
