/** String literals. */

/** The value of a plain string literal; undefined for formatted ones and anything else. */
export function constant(literal: string): string | undefined {
  const [, , body] = /^[rRuU]?('''|"""|'|")([\s\S]*)\1$/.exec(literal) ?? [];
  return body === undefined || body.includes('\\') ? undefined : body;
}
