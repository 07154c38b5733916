// Opens the project of a benchmark as the program would. What is remembered lies in the project, so that it goes with it.
import { createRequire } from 'node:module';
import { join } from 'node:path';

const load = createRequire(import.meta.url)('../bin/load.js');

/** A module of the built program, loaded as the program loads it. */
export const built = (path) => load(`dist/${path}`);

/** @param root absolute path */
export function openBench(root) {
  const { openProject } = built('core/project/open-project.js');
  const { KNOWN } = built('core/known.js');
  const caches = join(root, '.emballage/caches');
  return openProject({
    sheetPath: 'emballage.yaml',
    from: root,
    languages: KNOWN,
    code: 'bench',
    caches,
    now: Date.now,
  });
}
