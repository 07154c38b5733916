/** Amounts in words, as the program writes them. */
const UNITS = [
  ['GiB', 1024 ** 3],
  ['MiB', 1024 ** 2],
  ['KiB', 1024],
] as const;

/** Bytes in the largest unit that leaves a whole number before the point: `1.25 MiB`. */
export function sizeText(bytes: number): string {
  for (const [unit, factor] of UNITS) if (Math.abs(bytes) >= factor) return `${digits(bytes / factor)} ${unit}`;
  return `${String(bytes)} B`;
}

function digits(value: number): string {
  const size = Math.abs(value);
  const factor = size >= 100 ? 1 : size >= 10 ? 10 : 100;
  // Never rounded up, as the program does, so that nothing seems to pass a limit that it is under.
  return String(Math.trunc(value * factor) / factor);
}

/** A part of a whole in percent; nothing of nothing is none. */
export function shareText(part: number, whole: number): string {
  if (whole <= 0) return '0 %';
  const share = (part / whole) * 100;
  if (share > 0 && share < 0.1) return 'under 0.1 %';
  return share >= 10 ? `${String(Math.trunc(share))} %` : `${share.toFixed(1)} %`;
}

/** `50,501` */
export function digitGroups(n: number): string {
  return String(n).replace(/\B(?=(\d{3})+(?!\d))/g, ',');
}

/** A number with what is counted: `1 file`, `1,204 files`. */
export function countText(n: number, one: string, many = `${one}s`): string {
  return `${digitGroups(n)} ${n === 1 ? one : many}`;
}
