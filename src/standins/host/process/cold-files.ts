/** Files that are not in the memory of the system: how they are after a start of the machine. */
import { spawnSync } from 'node:child_process';

/**
 * Has the system forget the content of all files below a folder, as far as it lets us (`dd`, flag `nocache`).
 * @param folder absolute path
 */
export function forget(folder: string): void {
  const each = 'for f; do dd if="$f" iflag=nocache count=0 2>/dev/null; done';
  spawnSync('sh', ['-c', `sync; find "$1" -type f -exec sh -c '${each}' sh {} +`, 'sh', folder], { stdio: 'ignore' });
}
