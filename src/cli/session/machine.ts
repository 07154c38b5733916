/** The machine that the program runs on, as the core wants to know it. */
import { readFileSync } from 'node:fs';
import { arch, homedir, hostname } from 'node:os';
import { join } from 'node:path';
import type { Surroundings } from '../../core/rules';
import type { Arch } from '../../core/sheet';
import { NO_CREDENTIALS, readNetrc, type Credentials } from '../../core/toolchains/credentials';
import type { Machine } from '../../core/toolchains/machine';

/** The processor that we run on. */
export function ownArch(): Arch {
  return arch() === 'arm64' ? 'arm64' : 'x86_64';
}

/** This machine, as the core wants to know it; what is looked for is looked for once. */
export function thisMachine(): Machine {
  const looks = new Map<string, unknown>();
  const once = <T>(what: string, look: () => T): T => {
    if (!looks.has(what)) looks.set(what, look());
    return looks.get(what) as T;
  };
  return {
    arch: ownArch(),
    glibc: () => once('glibc', ownGlibc),
    searchPath: process.env.PATH ?? '',
    home: homedir(),
    variable: (name) => process.env[name],
    variables: () => process.env,
    self: { path: process.execPath, version: process.versions.node },
    get credentials() {
      return once('credentials', systemCredentials);
    },
    once,
  };
}

/** The user's folder for caches (XDG Base Directory Specification). */
export function userCaches(): string {
  const named = process.env.XDG_CACHE_HOME;
  return named?.startsWith('/') === true ? named : join(homedir(), '.cache');
}

/** A report of the whole process, without its connections: nothing else says which C library runs us. */
function ownGlibc(): string | undefined {
  const { header } = process.report.getReport() as { header: { glibcVersionRuntime?: string } };
  return header.glibcVersionRuntime;
}

/** Logins from the file that NETRC names, or `~/.netrc`. */
function systemCredentials(): Credentials {
  try {
    return readNetrc(readFileSync(process.env.NETRC ?? join(homedir(), '.netrc'), 'utf8'));
  } catch {
    return NO_CREDENTIALS;
  }
}

/** What is particular to this machine, and to whoever is at it. */
export function surroundings(...folders: readonly string[]): Surroundings {
  return { folders: [...folders, `${homedir()}/`], user: process.env.USER ?? '', host: hostname() };
}
