/** Makes elements. What stands in them is always text: nothing that an artifact holds is read as markup. */

type Attributes = Readonly<Record<string, string>>;

/** An element of the page with attributes and what is inside; texts are never read as markup. */
export function element<K extends keyof HTMLElementTagNameMap>(
  tag: K,
  attributes: Attributes = {},
  ...inside: readonly (Node | string)[]
): HTMLElementTagNameMap[K] {
  const made = document.createElement(tag);
  for (const [name, value] of Object.entries(attributes)) made.setAttribute(name, value);
  made.append(...inside);
  return made;
}

const SVG = 'http://www.w3.org/2000/svg';

/** The same for what is drawn (SVG). */
export function drawn<K extends keyof SVGElementTagNameMap>(
  tag: K,
  attributes: Attributes = {},
  ...inside: readonly (Node | string)[]
): SVGElementTagNameMap[K] {
  const made = document.createElementNS(SVG, tag);
  for (const [name, value] of Object.entries(attributes)) made.setAttribute(name, value);
  made.append(...inside);
  return made;
}

/** The element of an id that the page was written with. @throws Error where it is not there, or another kind */
export function byId<T extends Element>(id: string, kind: new () => T): T {
  const found = document.getElementById(id);
  if (!(found instanceof kind)) throw new Error(`the page has no ${id}`);
  return found;
}
