/** A folder for what is needed only while a command runs. */
import { makeScratch, removeScratch } from '../../core/disk/scratch';

/** Runs `use` with the path of a new folder, which is removed whatever happens. */
export async function withScratch<T>(name: string, use: (folder: string) => Promise<T>): Promise<T> {
  const folder = makeScratch(name);
  const cleanUp = (): void => removeScratch(folder);
  process.once('exit', cleanUp);
  try {
    return await use(folder);
  } finally {
    process.removeListener('exit', cleanUp);
    cleanUp();
  }
}
