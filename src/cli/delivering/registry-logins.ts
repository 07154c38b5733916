/** Where this machine keeps logins for registries. */
import { readFileSync } from 'node:fs';
import { homedir } from 'node:os';
import { join } from 'node:path';

/**
 * Logins for registries: the file that REGISTRY_AUTH_FILE names, or those of the places where engines keep them
 * (containers-auth.json(5) and its kin).
 */
export function registryAuthFiles(): { readonly text: string; readonly shown: string }[] {
  const named = process.env.REGISTRY_AUTH_FILE;
  const runtime = process.env.XDG_RUNTIME_DIR;
  const config = process.env.XDG_CONFIG_HOME ?? join(homedir(), '.config');
  const paths =
    named === undefined
      ? [
          ...(runtime === undefined ? [] : [join(runtime, 'containers/auth.json')]),
          join(config, 'containers/auth.json'),
          join(process.env.DOCKER_CONFIG ?? join(homedir(), '.docker'), 'config.json'),
        ]
      : [named];
  return paths.flatMap((path) => {
    try {
      return [{ text: readFileSync(path, 'utf8'), shown: path }];
    } catch {
      return [];
    }
  });
}
