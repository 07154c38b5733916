/** A folder for what is needed only while a command runs. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/** Runs `use` with the path of a new folder, which is removed whatever happens. */
export async function withScratch<T>(name: string, use: (folder: string) => Promise<T>): Promise<T> {
  const folder = mkdtempSync(join(tmpdir(), `emballage-${name}-`));
  const cleanUp = (): void => rmSync(folder, { recursive: true, force: true });
  process.once('exit', cleanUp);
  try {
    return await use(folder);
  } finally {
    process.removeListener('exit', cleanUp);
    cleanUp();
  }
}
