/** Names of classes inside descriptors (JVMS 4.3) and generic signatures (JVMS 4.7.9.1). */

/**
 * Tells every class named in a descriptor or signature, and puts together the text in which other names stand instead.
 * The grammar of descriptors is a part of that of signatures. What is not of that grammar stays as it is.
 * @param rename another internal name, or undefined to leave it
 */
export function mapTypes(text: string, rename: (name: string) => string | undefined): string {
  let result = '';
  let copied = 0;
  for (let at = 0; at < text.length;) {
    const kind = text[at];
    if (kind === 'T') at = skipTo(text, at, ';') + 1;
    else if (kind === '<' && isFormal(text, at)) at = skipTo(text, at, ':');
    else if (kind === ';' && text[at + 1] !== undefined && isFormalName(text, at + 1)) at = skipTo(text, at, ':');
    else if (kind === 'L') {
      const end = nameEnd(text, at + 1);
      const other = rename(text.slice(at + 1, end));
      if (other !== undefined) {
        result += text.slice(copied, at + 1) + other;
        copied = end;
      }
      at = end;
      // Member classes of a parameterised class: `.Inner`.
    } else if (kind === '.') at = nameEnd(text, at + 1);
    else at += 1;
  }
  return copied === 0 ? text : result + text.slice(copied);
}

/** Every class named in a descriptor or signature. */
export function typesIn(text: string): string[] {
  const found: string[] = [];
  mapTypes(text, (name) => {
    found.push(name);
    return undefined;
  });
  return found;
}

function nameEnd(text: string, from: number): number {
  for (let at = from; at < text.length; at++) if (';<.'.includes(text[at] ?? '')) return at;
  return text.length;
}

function skipTo(text: string, from: number, mark: string): number {
  const found = text.indexOf(mark, from);
  return found < 0 ? text.length : found;
}

/** `<` opens formal type parameters only at the very beginning. */
function isFormal(text: string, at: number): boolean {
  return at === 0 && text.startsWith('<');
}

/** Behind the bound of one formal type parameter stands the name of the next: an identifier, then `:`. */
function isFormalName(text: string, at: number): boolean {
  if (!text.startsWith('<')) return false;
  for (let i = at; i < text.length; i++) {
    const unit = text[i] ?? '';
    if (unit === ':') return i > at;
    if ('.;[/<>()'.includes(unit)) return false;
  }
  return false;
}

/** Descriptors of the parameters of a method, in order. */
export function parameterTypes(descriptor: string): string[] {
  const types: string[] = [];
  for (let at = 1; at < descriptor.length && descriptor[at] !== ')';) {
    const start = at;
    while (descriptor[at] === '[') at += 1;
    at = descriptor[at] === 'L' ? skipTo(descriptor, at, ';') + 1 : at + 1;
    types.push(descriptor.slice(start, at));
  }
  return types;
}

/** What stands behind the parameters of a method descriptor (JVMS 4.3.3). */
export function returnType(descriptor: string): string {
  return descriptor.slice(descriptor.lastIndexOf(')') + 1);
}
