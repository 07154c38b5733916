/** What is in a folder, where that can be told. */
import { readdirSync } from 'node:fs';

/** Names of all that is in a folder; none where it is not there, or may not be read. */
export function namesIn(folder: string): string[] {
  try {
    return readdirSync(folder);
  } catch {
    return [];
  }
}
