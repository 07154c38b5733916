/** Headers of requests and responses, but for those that belong to a connection. */

export type Headers = readonly (readonly [name: string, value: string])[];

/** RFC 9110 7.6.1; the length is of what is sent, and not of what it carries. */
const OF_CONNECTION: ReadonlySet<string> = new Set([
  ...['connection', 'keep-alive', 'transfer-encoding', 'upgrade', 'te', 'trailer', 'content-length'],
]);

/** Without those of the connection. */
export function carried(headers: Headers): Headers {
  return headers.filter(([name]) => !OF_CONNECTION.has(name));
}

/** Those of a message that was received, in its order, with names in small letters. @param raw name and value by turns */
export function carriedBy(raw: readonly string[]): Headers {
  const headers: [string, string][] = [];
  for (let i = 0; i < raw.length; i += 2) headers.push([(raw[i] ?? '').toLowerCase(), raw[i + 1] ?? '']);
  return carried(headers);
}
