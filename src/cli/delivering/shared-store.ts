/** The store that many machines share, as the sheet and the environment name it. */
import { readFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { EmballageError, messageOf } from '../../core/base/errors';
import { printable } from '../../core/base/text';
import type { Project } from '../../core/project/targets';
import { isRegistry, settleRegistry, type SharedStore } from '../../core/sheet';
import type { ResultStore } from '../../core/sources/results';
import type { RegistryConnection } from '../../core/sources/registry';

/** What a run of the program brings for it. */
export interface Sharing {
  /** Absolute path of the folder that the command runs in. */
  readonly cwd: string;
  readonly offline: boolean;
  now(): number;
  registry(host: string, plainHttp: boolean, until: AbortSignal): Promise<RegistryConnection>;
  remark(text: string): void;
}

/** Says where it is: `HOST[:PORT]/NAMESPACE`; `none` for none, whatever the sheet says. */
const AT = 'EMBALLAGE_STORE';
/** `1` has results put there, `0` not. */
const WRITE = 'EMBALLAGE_STORE_WRITE';
/** Path of a private key (PEM) that results are signed with. */
const SIGN_WITH = 'EMBALLAGE_STORE_KEY';

/**
 * Has builds of a project take results from the shared store, and give theirs where that is allowed.
 * @returns undefined where none is named, or without network
 */
export async function shareResults(project: Project, session: Sharing): Promise<ResultStore | undefined> {
  const named = namedStore(project);
  if (named === undefined || session.offline) return undefined;
  const { registry, write, signedBy } = named;
  const { ResultStore: Store, readPrivateKey, readPublicKey } = await import('../../core/sources/results');
  const keys = signedBy.map((path) => readKey(join(project.root, path), path, readPublicKey));
  const own = process.env[SIGN_WITH] ?? '';
  const signWith = own === '' ? undefined : readKey(resolve(session.cwd, own), SIGN_WITH, readPrivateKey);
  const ending = new AbortController();
  const store = new Store({
    registry: () => session.registry(registry.host, registry.plainHttp, ending.signal),
    onGivenUp: () => ending.abort(),
    shown: `${registry.host}/${registry.namespace}`,
    name: registry.namespace,
    write,
    keys,
    signWith,
    code: project.state.code,
    now: () => session.now(),
    after: (ms, then) => {
      const timer = setTimeout(then, ms);
      return () => clearTimeout(timer);
    },
    onTrouble: (text) => session.remark(text),
  });
  project.state.shared = store;
  return store;
}

/** As the sheet says, or the environment, which counts more. @throws EmballageError USAGE */
export function namedStore({ sheet }: Project): SharedStore | undefined {
  const at = process.env[AT];
  if (at === 'none' || at === '') return undefined;
  const said = process.env[WRITE];
  if (said !== undefined && !/^[01]?$/.test(said)) throw badVariable(WRITE, '`1` or `0`', said);
  const store = at === undefined ? sheet.store : storeAt(at, sheet.store);
  if (store === undefined) return undefined;
  return said === undefined || said === '' ? store : { ...store, write: said === '1' };
}

function storeAt(at: string, stated: SharedStore | undefined): SharedStore {
  if (!isRegistry(at) || !at.includes('/')) throw badVariable(AT, '`HOST[:PORT]/NAMESPACE`, or `none`', at);
  return { write: stated?.write ?? false, signedBy: stated?.signedBy ?? [], registry: settleRegistry(at, false) };
}

function badVariable(where: string, expected: string, found: string): EmballageError {
  const mend = `correct or unset ${where}`;
  return new EmballageError('USAGE', {
    doing: 'reading the environment',
    where,
    expected,
    found: `\`${printable(found)}\``,
    mend,
  });
}

function readKey<T>(path: string, shown: string, read: (text: string) => T | undefined): T {
  let key: T | undefined;
  let found = 'something else';
  try {
    key = read(readFileSync(path, 'utf8'));
  } catch (error) {
    found = messageOf(error);
  }
  if (key !== undefined) return key;
  throw new EmballageError('USAGE', {
    doing: 'reading a key of the shared store',
    where: printable(shown),
    expected: 'a key in PEM, such as openssl writes for Ed25519',
    found: printable(found),
    mend: 'make one with `openssl genpkey -algorithm ed25519`, or correct the path',
  });
}
