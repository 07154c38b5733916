/** XML as plain trees with places. No document type is read, so that there are no entities but XML's own five. */
import { SaxesParser } from 'saxes';

export interface XmlElement {
  readonly name: string;
  /** By their names without prefixes. */
  readonly attributes: Readonly<Record<string, string>>;
  readonly line: number;
  readonly column: number;
  readonly children: readonly XmlElement[];
  /** Text in it, trimmed. */
  readonly text: string;
}

export interface XmlFault {
  readonly line: number;
  readonly column: number;
  readonly what: string;
}

const MAX_DEPTH = 200;
const MAX_ELEMENTS = 500_000;

interface OpenElement {
  name: string;
  attributes: Readonly<Record<string, string>>;
  line: number;
  column: number;
  children: OpenElement[];
  text: string;
}

/** A document as elements, or the place where it is none; entities of its own are not followed. */
export function readXml(text: string): { readonly root: XmlElement } | { readonly fault: XmlFault } {
  const parser = new SaxesParser();
  const open: OpenElement[] = [];
  const state: { root?: OpenElement; elements: number } = { elements: 0 };
  let fault: XmlFault | undefined;
  const fail = (what: string): void => {
    fault ??= { line: parser.line, column: parser.column + 1, what };
  };
  parser.on('error', (error) => fail(error.message.replace(/^(?:\d+:\d+: )+/, '')));
  parser.on('doctype', () => fail('a document type, which could define entities without end'));
  parser.on('opentag', ({ name, attributes }) => {
    state.elements += 1;
    if (open.length > MAX_DEPTH || state.elements > MAX_ELEMENTS) fail('more elements than can be meant');
    if (fault !== undefined) return;
    const element: OpenElement = {
      name: plainName(name),
      attributes: Object.fromEntries(Object.entries(attributes).map(([key, value]) => [plainName(key), value])),
      line: parser.line,
      column: parser.column,
      children: [],
      text: '',
    };
    open.at(-1)?.children.push(element);
    state.root ??= element;
    open.push(element);
  });
  const take = (more: string): void => {
    const top = open.at(-1);
    if (top !== undefined && fault === undefined) top.text += more;
  };
  parser.on('text', take);
  parser.on('cdata', take);
  parser.on('closetag', () => {
    const closed = open.pop();
    if (closed !== undefined) closed.text = closed.text.trim();
  });
  try {
    parser.write(text.replace(/^\ufeff/, '')).close();
  } catch {
    fail('text that is no XML');
  }
  if (fault !== undefined) return { fault };
  return state.root === undefined ? { fault: { line: 1, column: 1, what: 'no element at all' } } : { root: state.root };
}

/** Without its prefix. */
function plainName(name: string): string {
  return name.slice(name.lastIndexOf(':') + 1);
}

/** The first element of that name below another. */
export function child(element: XmlElement | undefined, name: string): XmlElement | undefined {
  return element?.children.find((one) => one.name === name);
}

/** The elements of that name below another. */
export function children(element: XmlElement | undefined, name: string): XmlElement[] {
  return element?.children.filter((one) => one.name === name) ?? [];
}

/** Text of a child; undefined where it is missing or empty. */
export function childText(element: XmlElement | undefined, name: string): string | undefined {
  const text = child(element, name)?.text;
  return text === undefined || text === '' ? undefined : text;
}
