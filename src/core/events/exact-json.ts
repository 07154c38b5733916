/** JSON whose numbers keep all their digits on the way through: what a language makes of them is its own matter. */
import { parse, stringify } from 'lossless-json';

/** As `JSON.parse`, with numbers as objects that only `writeExact` reads. @throws SyntaxError */
export function parseExact(text: string): unknown {
  // The messages of V8 say where a document breaks off.
  JSON.parse(text);
  // Of a key that stands twice the last counts, as in JSON.parse.
  return parse(text, undefined, { onDuplicateKey: ({ newValue }) => newValue });
}

/** JSON of what `readExact` gave, with numbers as they were written. @param indent columns; one line without */
export function writeExact(value: unknown, indent?: number): string {
  return stringify(value, undefined, indent) ?? 'null';
}
