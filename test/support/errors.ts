/** An error with at least these fields, for `toThrow`. */
export function withFields(fields: object): Error {
  return expect.objectContaining(fields) as Error;
}
