/** JSON that may be anything. */

/** What is no JSON is undefined, which no schema takes. */
export function jsonOf(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}
