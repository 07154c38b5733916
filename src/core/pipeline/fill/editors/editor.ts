/** What changes one value of a template in place: everything else keeps its bytes. */

/** Why a value cannot be put there. */
export interface EditFault {
  readonly expected: string;
  readonly found: string;
  readonly mend: string;
  /** Offset in the text, where one place is at fault. */
  readonly offset?: number;
}

export interface Edited {
  readonly text: string;
  /** What stood there, as text. */
  readonly before: string;
}

export type Editor = (text: string, at: string, value: string) => Edited | EditFault;

/** The steps of a JSON Pointer (RFC 6901, 4); undefined for what is none. */
export function pointerSteps(pointer: string): string[] | undefined {
  if (pointer !== '' && !pointer.startsWith('/')) return undefined;
  if (/~(?![01])/.test(pointer)) return undefined;
  return pointer
    .split('/')
    .slice(1)
    .map((step) => step.replaceAll('~1', '/').replaceAll('~0', '~'));
}

/** What the nodes of a parsed text are made of. */
export interface Nodes<N> {
  /** Those at one step below; several where a key stands there twice. */
  childrenAt(node: N, step: string): readonly N[];
  /** Keys or places of what is below. */
  namesOf(node: N): readonly string[];
}

/** All nodes that a pointer leads to. */
export function nodesAt<N>(root: N, steps: readonly string[], at: string, is: Nodes<N>): readonly N[] | EditFault {
  let nodes: readonly N[] = [root];
  for (const [i, step] of steps.entries()) {
    const next = nodes.flatMap((node) => is.childrenAt(node, step));
    if (next.length === 0)
      return missing(
        at,
        steps.slice(0, i),
        nodes.flatMap((node) => is.namesOf(node)),
      );
    nodes = next;
  }
  return nodes;
}

/** Whether a step of a JSON Pointer names an item of a list (RFC 6901, 4). */
export function isIndex(step: string): boolean {
  return /^(?:0|[1-9]\d*)$/.test(step);
}

/** A number where one stood: what is filled in is as the template has it. */
export function isNumber(value: string): boolean {
  return /^-?(?:0|[1-9]\d*)(?:\.\d+)?$/.test(value);
}

export const NO_POINTER: EditFault = {
  expected: 'a JSON Pointer such as `/functions/0/digest` (RFC 6901)',
  found: 'something else',
  mend: 'begin it with `/`; write `~1` for a `/` in a key, and `~0` for a `~`',
};

/** @param seen the part of the pointer that leads somewhere @param names what is there instead */
export function missing(at: string, seen: readonly string[], names: readonly string[]): EditFault {
  const where = seen.length === 0 ? 'at the top' : `below \`/${seen.join('/')}\``;
  const there =
    names.length === 0
      ? 'nothing'
      : names
          .slice(0, 12)
          .map((name) => `\`${name}\``)
          .join(', ');
  return {
    expected: `a value at \`${at}\``,
    found: `${there} ${where}`,
    mend: 'correct `at`, or put the key into the template with any value',
  };
}

/** The fault of a place that is there several times. @param offset of the first, in letters */
export function several(at: string, count: number, offset: number): EditFault {
  return {
    expected: `one value at \`${at}\``,
    found: `${String(count)} that match`,
    mend: 'give each a key of its own in the template',
    offset,
  };
}

/** The fault of a place that holds more than one value. @param offset in letters */
export function noPlainValue(at: string, found: string, offset: number): EditFault {
  return { expected: `a plain value at \`${at}\``, found, mend: 'name a key with a text or a number', offset };
}

/** A text with a stretch of it replaced. */
export function splice(text: string, [start, end]: readonly [number, number], put: string): string {
  return text.slice(0, start) + put + text.slice(end);
}
