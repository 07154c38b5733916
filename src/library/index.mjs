// The same for programs that are ES modules: their named imports are looked for without running anything.
import library from './index.js';

export const { build, check, EmballageError, lock, openProject } = library;
