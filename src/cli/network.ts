/** The network of this machine. */
import { readFileSync } from 'node:fs';
import { homedir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import {
  NO_CREDENTIALS,
  readNetrc,
  type Credentials,
  type MavenSurroundings,
  type Network,
  type NpmSurroundings,
} from '../core/sources';

/** How long a server may be silent. */
const SILENCE_MS = 120_000;

export function systemNetwork(): Network {
  return {
    async request({ url, headers }) {
      const response = await fetch(url, { headers, redirect: 'manual', signal: AbortSignal.timeout(SILENCE_MS * 10) });
      return {
        status: response.status,
        headers: Object.fromEntries(response.headers),
        body: response.body ?? emptyBody(),
      };
    },
    sleep: (ms) => sleep(ms),
    now: () => Date.now(),
  };
}

/** Logins from the file that NETRC names, or `~/.netrc`. */
export function systemCredentials(): Credentials {
  try {
    return readNetrc(readFileSync(process.env.NETRC ?? join(homedir(), '.netrc'), 'utf8'));
  } catch {
    return NO_CREDENTIALS;
  }
}

/** The user's npm configuration, or the file that NPM_CONFIG_USERCONFIG names, and what the environment adds to it. */
export function npmSurroundings(): NpmSurroundings {
  const variable = (name: string): string | undefined => process.env[name];
  const user = variable('NPM_CONFIG_USERCONFIG') ?? variable('npm_config_userconfig') ?? join(homedir(), '.npmrc');
  const system = variable('NPM_CONFIG_GLOBALCONFIG') ?? variable('npm_config_globalconfig') ?? '/etc/npmrc';
  return { files: [user, system], variable, credentials: systemCredentials() };
}

/** The user's settings for Maven, and the system's. */
export function mavenSurroundings(): MavenSurroundings {
  const system = process.env.MAVEN_HOME ?? process.env.M2_HOME;
  const files = [
    join(homedir(), '.m2/settings.xml'),
    system === undefined ? '/etc/maven/settings.xml' : join(system, 'conf/settings.xml'),
  ];
  return { files, variable: (name) => process.env[name] };
}

// eslint-disable-next-line @typescript-eslint/require-await
async function* emptyBody(): AsyncGenerator<Uint8Array> {
  yield new Uint8Array(0);
}
