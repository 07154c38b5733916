/** Kilometres along the shore from the harbour mouth. Made up. */
const alongShoreKm: Readonly<Record<string, number>> = { pier: 0.4, lock: 2.1, bridge: 3.6 };

export function distanceKm(from: string, to: string): number {
  return Math.abs((alongShoreKm[from] ?? 0) - (alongShoreKm[to] ?? 0));
}
