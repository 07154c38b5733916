/** What files lead to, breadth first. */

const MOST = 2000;

/** @param next what a file asks for, as far as it lies in the repository @returns with the first, in order */
export function reach(first: string, next: (file: string) => readonly string[]): string[] {
  const found = new Set([first]);
  for (const file of found) {
    if (found.size > MOST) break;
    for (const one of next(file)) found.add(one);
  }
  return [...found];
}
