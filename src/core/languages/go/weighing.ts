/** Whose the code in executables from Go is. */
import type { Weighing } from '../weighing';

export const goWeighing: Weighing = {
  sourceOf(name, packages) {
    const inside = packages.filter((one) => name === one.name || name.startsWith(`${one.name}/`));
    const [found] = inside.sort((a, b) => b.name.length - a.name.length);
    // Only packages of the library have no dot in the first part of their path (Go Modules Reference, "Module paths").
    const isLibrary = name !== 'main' && name.split('/')[0]?.includes('.') === false;
    return found ?? (isLibrary ? 'library' : undefined);
  },
};
