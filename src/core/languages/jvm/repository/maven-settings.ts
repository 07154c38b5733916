/**
 * The settings file of Maven ("Settings Reference"): logins by the id of a repository, mirrors that stand in for
 * repositories, proxies, and the repositories of profiles that are active.
 */
import { EmballageError } from '../../../base/errors';
import { present } from '../../../base/present';
import { printable } from '../../../base/text';
import { child, children, childText, readXml, type XmlElement } from '../../../formats/xml';
import type { Way } from '../../../sources';
import { activeProfiles, isActivated, readActivation, type Activation, type ActivationSurroundings } from '../maven';

export interface MavenSettings {
  /** Where to ask instead of a repository, with the id that logins are found by; the repository itself without a mirror. */
  mirrorFor(repository: MavenRepository): MavenRepository;
  /** Value of the Authorization header. @throws EmballageError for a password that only Maven can read */
  loginFor(id: string | undefined): string | undefined;
  /** The repositories of active profiles. */
  readonly repositories: readonly StatedRepository[];
  readonly proxies: Way['proxies'];
}

/** A repository, and where it is stated. */
export interface StatedRepository extends MavenRepository {
  readonly shown: string;
}

export interface MavenRepository {
  readonly id?: string;
  /** Address, without a slash at the end. */
  readonly url: string;
  /** The mirror that stands in for it refuses it. */
  readonly isBlocked?: true;
}

interface Server {
  readonly user: string;
  readonly password: string;
  readonly shown: string;
}

/** What the machine sets, and what profiles are held against. */
export interface SettingsSurroundings extends Pick<ActivationSurroundings, 'java' | 'arch' | 'isThere'> {
  /** An environment variable. */
  readonly variable: (name: string) => string | undefined;
}

/** @throws EmballageError REQUIREMENTS_INVALID for a file that is no settings file */
export function readMavenSettings(
  files: readonly { readonly text: string; readonly shown: string }[],
  surroundings: SettingsSurroundings,
): MavenSettings {
  const reader = new SettingsReader(surroundings);
  for (const { text, shown } of files) reader.read(text, shown);
  const { servers, mirrors, proxies } = reader;
  return {
    mirrorFor: (repository) => mirrors.find(({ of }) => isMirrorOf(of, repository))?.repository ?? repository,
    loginFor: (id) => login(id === undefined ? undefined : servers.get(id), id ?? ''),
    repositories: reader.activeProfiles().flatMap(({ repositories }) => repositories),
    proxies: Object.keys(proxies).length > 0 ? proxies : undefined,
  };
}

/** Several files: what the first says of an id counts. */
class SettingsReader {
  readonly servers = new Map<string, Server>();
  readonly mirrors: { readonly of: string; readonly repository: MavenRepository }[] = [];
  readonly proxies: { http?: string; https?: string; except?: string } = {};
  readonly #profiles = new Map<string, SettingsProfile>();
  readonly #active = new Set<string>();
  readonly #surroundings: SettingsSurroundings;

  constructor(surroundings: SettingsSurroundings) {
    this.#surroundings = surroundings;
  }

  read(text: string, shown: string): void {
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
    const { root } = read;
    for (const one of children(child(root, 'servers'), 'server')) this.#server(one, shown);
    for (const one of children(child(root, 'mirrors'), 'mirror')) this.#mirror(one);
    for (const one of children(child(root, 'activeProfiles'), 'activeProfile')) this.#active.add(one.text.trim());
    for (const one of children(child(root, 'profiles'), 'profile')) {
      const profile = readProfile(one, shown, (part) => this.#fill(part));
      if (!this.#profiles.has(profile.id)) this.#profiles.set(profile.id, profile);
    }
    for (const one of children(child(root, 'proxies'), 'proxy'))
      takeProxy(one, (part) => this.#fill(part), this.proxies);
  }

  /** Those that are active by default are so only where no other is. */
  activeProfiles(): readonly SettingsProfile[] {
    const { variable, isThere, ...target } = this.#surroundings;
    // Only what the environment sets can be known: nothing is given on a command line.
    const property = (name: string): string | undefined =>
      name.startsWith('env.') ? variable(name.slice('env.'.length)) : undefined;
    const surroundings = present({
      ...target,
      property,
      isThere: isThere === undefined ? undefined : (path: string) => isThere(this.#fill(path)),
    });
    return activeProfiles(
      [...this.#profiles.values()],
      (one) => this.#active.has(one.id) || isActivated(one, surroundings),
    );
  }

  /** A variable that is not set stays as it stands. */
  #fill(text: string): string {
    return text.replace(/\$\{env\.([^{}]+)\}/g, (whole, name: string) => this.#surroundings.variable(name) ?? whole);
  }

  #server(element: XmlElement, shown: string): void {
    const id = childText(element, 'id');
    if (id === undefined || this.servers.has(id)) return;
    const text = (name: string): string => this.#fill(childText(element, name) ?? '');
    this.servers.set(id, { user: text('username'), password: text('password'), shown });
  }

  #mirror(element: XmlElement): void {
    const [of, url] = [childText(element, 'mirrorOf'), childText(element, 'url')];
    if (of === undefined || url === undefined) return;
    const isBlocked = childText(element, 'blocked') === 'true' ? (true as const) : undefined;
    const address = this.#fill(url).replace(/\/+$/, '');
    this.mirrors.push({ of, repository: present({ id: childText(element, 'id'), url: address, isBlocked }) });
  }
}

interface SettingsProfile extends Activation {
  readonly id: string;
  readonly repositories: readonly StatedRepository[];
}

function readProfile(element: XmlElement, shown: string, fill: (text: string) => string): SettingsProfile {
  const properties = new Map((child(element, 'properties')?.children ?? []).map((one) => [one.name, one.text]));
  const filled = (text: string): string =>
    fill(text).replace(/\$\{([^{}]+)\}/g, (whole, key: string) => properties.get(key) ?? whole);
  return {
    ...readActivation(element),
    id: childText(element, 'id') ?? '',
    repositories: readRepositories(element, shown, filled),
  };
}

/** The repositories that releases come from, of a POM, a profile or settings. */
export function readRepositories(
  element: XmlElement | undefined,
  shown: string,
  fill: (text: string) => string,
): StatedRepository[] {
  return children(child(element, 'repositories'), 'repository').flatMap((one) => {
    const url = childText(one, 'url');
    const isForReleases = childText(child(one, 'releases'), 'enabled') !== 'false';
    if (url === undefined || !isForReleases || (childText(one, 'layout') ?? 'default') !== 'default') return [];
    return [present({ id: childText(one, 'id'), url: fill(url).trim().replace(/\/+$/, ''), shown })];
  });
}

function takeProxy(
  element: XmlElement,
  fill: (text: string) => string,
  to: { http?: string; https?: string; except?: string },
): void {
  const text = (name: string): string => fill(childText(element, name) ?? '');
  const host = text('host');
  if (host === '' || childText(element, 'active') === 'false') return;
  const user = text('username');
  const login = user === '' ? '' : `${encodeURIComponent(user)}:${encodeURIComponent(text('password'))}@`;
  const address = `http://${login}${host}:${text('port') === '' ? '8080' : text('port')}`;
  // The protocol is that of the addresses that are asked for; where only one is stated it serves both.
  if (text('protocol') === 'https') to.https ??= address;
  else to.http ??= address;
  const except = text('nonProxyHosts');
  if (except !== '') to.except ??= except.replaceAll('|', ',').replaceAll('*.', '.');
}

/** `*`, `external:*`, ids, and `!id` for those that it does not stand in for. */
function isMirrorOf(pattern: string, { id = '', url }: MavenRepository): boolean {
  const parts = pattern.split(',').map((one) => one.trim());
  if (id !== '' && parts.includes(`!${id}`)) return false;
  const isLocal = /^file:|^https?:\/\/(?:localhost|127\.|\[::1\])/.test(url);
  const isPlain = url.startsWith('http:');
  return parts.some(
    (one) =>
      one === '*' ||
      (one === 'external:*' && !isLocal) ||
      (one === 'external:http:*' && !isLocal && isPlain) ||
      (id !== '' && one === id),
  );
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
