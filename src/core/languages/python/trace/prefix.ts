/** Names of modules that are put together when the code runs. */

/** With `__name__` or `__package__` before it: the module's own package. */
const OWN = [
  /^__(?:name|package)__\s*\+\s*['"](\.[\w.]*)['"]\s*(?:\+|$)/,
  /^[fF][rR]?['"]\{__(?:name|package)__\}(\.[\w.]*)\{/,
];
/** `"plugins." + name`, `f"plugins.{name}"`, `"plugins.%s" % name`, `"plugins.{}".format(name)`. */
const PLAIN = [/^[rRuU]?['"]([\w.]+)['"]\s*\+/, /^[fF][rR]?['"]([\w.]+)\{/, /^[rRuU]?['"]([\w.]+)(?:%s|\{\d?\})/];

/**
 * What a computed name begins with; undefined where that is nothing certain.
 * @param isOwn whether dots at its beginning are counted from the module
 */
export function prefixOf(text: string, isOwn: boolean): { level: number; module: string } | undefined {
  const own = firstOf(OWN, text);
  if (own !== undefined) return { level: 1, module: own.slice(1) };
  const plain = firstOf(PLAIN, text);
  if (plain === undefined) return undefined;
  const module = plain.replace(/^\.+/, '');
  const level = plain.length - module.length;
  const isCertain = level === 0 ? module.includes('.') : isOwn;
  return isCertain ? { level, module } : undefined;
}

function firstOf(patterns: readonly RegExp[], text: string): string | undefined {
  for (const pattern of patterns) {
    const found = pattern.exec(text)?.[1];
    if (found !== undefined) return found;
  }
  return undefined;
}
