// Opens the project of a benchmark as the program would. What is remembered lies in the project, so that it goes with it.
import { createRequire } from 'node:module';
import { join } from 'node:path';

const require = createRequire(import.meta.url);

/** A module of the built program. */
export const built = (path) => require(join(import.meta.dirname, '../dist', path));

/** @param root absolute path */
export function openBench(root) {
  const { openProject } = built('core/project/open-project.js');
  const { KNOWN } = built('core/languages/index.js');
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
