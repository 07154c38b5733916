/** JSON Pointers (RFC 6901): places in a JSON document. */

/** The parts of a pointer; undefined for a text that is none. `/a/b~1c` gives `a`, `b/c`. */
export function pointerParts(text: string): string[] | undefined {
  if (text === '') return [];
  // Section 3: `~` stands before 0 or 1 only.
  if (!text.startsWith('/') || /~(?![01])/.test(text)) return undefined;
  return text
    .slice(1)
    .split('/')
    .map((part) => part.replaceAll('~1', '/').replaceAll('~0', '~'));
}

/** A place as a pointer. */
export function pointerText(parts: readonly string[]): string {
  return parts.map((part) => `/${part.replaceAll('~', '~0').replaceAll('/', '~1')}`).join('');
}

/** What stands at a place; undefined where nothing does. */
export function valueAt(document: unknown, parts: readonly string[]): unknown {
  let at = document;
  for (const part of parts) {
    if (typeof at !== 'object' || at === null) return undefined;
    // Section 4: members of lists are named by their number.
    if (Array.isArray(at) ? !/^(?:0|[1-9]\d*)$/.test(part) : !Object.hasOwn(at, part)) return undefined;
    at = (at as Readonly<Record<string, unknown>>)[part];
  }
  return at;
}

/** Puts a value at a place, making the objects on the way. */
export function putAt(document: Record<string, unknown>, parts: readonly string[], value: unknown): void {
  let at = document;
  for (const part of parts.slice(0, -1)) {
    const next = Object.hasOwn(at, part) ? at[part] : undefined;
    const below = typeof next === 'object' && next !== null ? (next as Record<string, unknown>) : {};
    setOwn(at, part, below);
    at = below;
  }
  const last = parts.at(-1);
  if (last !== undefined) setOwn(at, last, value);
}

/** Also of a name that objects have of themselves, `__proto__`. */
function setOwn(object: Record<string, unknown>, name: string, value: unknown): void {
  Object.defineProperty(object, name, { value, enumerable: true, writable: true, configurable: true });
}
