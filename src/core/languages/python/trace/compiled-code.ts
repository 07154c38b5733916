/** Names of modules in compiled code: it imports by names too, which stand in it as texts unless its compiler packed them. */

/** What Cython puts into every module, under names that C sees. */
const OF_CYTHON = Buffer.from('cython_runtime');
/** A name that every module of Cython sets: where it cannot be read, its texts are compressed (Cython 3.2 and later). */
const SET_BY_CYTHON = Buffer.from('__test__');
const NAME = /^(?:\.[A-Za-z_]\w*)+/;
/** Longer than any name of a module. */
const MAX_NAME = 200;

/**
 * Names in compiled code that begin with one of some modules at the top. A name may run into the text behind it, where
 * the compiler puts them one after another.
 * @returns undefined where its texts cannot be read
 */
export function namesInCompiled(code: Buffer, tops: readonly string[]): string[] | undefined {
  if (code.includes(OF_CYTHON) && !code.includes(SET_BY_CYTHON)) return undefined;
  const names = new Set<string>();
  for (const top of tops) {
    const wanted = Buffer.from(`${top}.`);
    for (let at = code.indexOf(wanted); at >= 0; at = code.indexOf(wanted, at + wanted.length)) {
      const rest = code.toString('latin1', at + top.length, at + top.length + MAX_NAME);
      const [found] = NAME.exec(rest) ?? [];
      if (found !== undefined) names.add(top + found);
    }
  }
  return [...names];
}
