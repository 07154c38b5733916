/** Parts a whole among several, so that whole bytes come out and their sum is the whole. */

/** @param weights what each counts; the last gets all where none counts anything */
export function shares(whole: number, weights: readonly number[]): number[] {
  const total = weights.reduce((a, b) => a + b, 0);
  if (total <= 0) return weights.map((_, i) => (i === weights.length - 1 ? whole : 0));
  let [counted, given] = [0, 0];
  return weights.map((weight) => {
    counted += weight;
    const upTo = Math.round((whole * counted) / total);
    const share = upTo - given;
    given = upTo;
    return share;
  });
}
