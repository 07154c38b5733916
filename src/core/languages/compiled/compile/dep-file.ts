/** Reads the rules that compilers write for make: which files something was made of. */

/** The files of all rules, in the order in which they stand. */
export function readDepFile(text: string): string[] {
  const files = new Set<string>();
  for (const rule of text.replace(/\\\r?\n/g, ' ').split('\n')) {
    const at = rule.search(/:(?:\s|$)/);
    if (at < 0 || rule.startsWith('#')) continue;
    for (const word of rule.slice(at + 1).match(/(?:\\.|[^\s\\])+/g) ?? [])
      files.add(word.replace(/\\(.)/g, '$1').replaceAll('$$', '$'));
  }
  return [...files];
}
