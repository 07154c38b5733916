/** Remembers where uploads were begun, so that a later run goes on with them. */
import { readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { contentDigest } from '../base/digest';
import { writeWhole } from './write';

export interface FileMemory {
  recall(key: string): string | undefined;
  remember(key: string, value: string): void;
  forget(key: string): void;
}

/** @param folder absolute path; made when something is remembered */
export function fileMemory(folder: string): FileMemory {
  const path = (key: string): string => join(folder, contentDigest(key));
  return {
    recall(key) {
      try {
        return readFileSync(path(key), 'utf8');
      } catch {
        // Nothing was begun.
        return undefined;
      }
    },
    remember(key, value) {
      if (this.recall(key) !== value) writeWhole(path(key), value, folder);
    },
    forget: (key) => rmSync(path(key), { force: true }),
  };
}
