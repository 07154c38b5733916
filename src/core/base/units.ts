/** Sizes and times as people write them in sheets: `64 MiB`, `30 s`. */

const SIZE_UNITS = { B: 1, KiB: 1024, MiB: 1024 ** 2, GiB: 1024 ** 3 } as const;
const TIME_UNITS = { ms: 1, s: 1000, min: 60_000, h: 3_600_000 } as const;

export const SIZE_PATTERN = /^(\d{1,9}(?:\.\d{1,6})?) (B|KiB|MiB|GiB)$/;
export const TIME_PATTERN = /^(\d{1,9}(?:\.\d{1,6})?) (ms|s|min|h)$/;

/** Bytes of a size that matches SIZE_PATTERN; undefined for anything else. `1.5 KiB` is 1536. */
export function parseSize(text: string): number | undefined {
  const [, amount, unit] = SIZE_PATTERN.exec(text) ?? [];
  if (amount === undefined || unit === undefined) return undefined;
  return Math.floor(Number(amount) * SIZE_UNITS[unit as keyof typeof SIZE_UNITS]);
}

/** Milliseconds of a time that matches TIME_PATTERN; undefined for anything else. */
export function parseTime(text: string): number | undefined {
  const [, amount, unit] = TIME_PATTERN.exec(text) ?? [];
  if (amount === undefined || unit === undefined) return undefined;
  return Number(amount) * TIME_UNITS[unit as keyof typeof TIME_UNITS];
}

const AGE_UNITS = { hour: 3_600_000, day: 86_400_000, week: 604_800_000 } as const;

/** Milliseconds of an age, `30 days`, `1 week`, `12 hours`; undefined for anything else. */
export function parseAge(text: string): number | undefined {
  const [, amount, unit] = /^(\d{1,6}) (hour|day|week)s?$/.exec(text) ?? [];
  if (amount === undefined || unit === undefined) return undefined;
  return Number(amount) * AGE_UNITS[unit as keyof typeof AGE_UNITS];
}

/** `812 B`, `1.4 KiB`, `64 MiB`: at most three digits that matter, never rounded up over a limit it is under. */
export function formatSize(bytes: number): string {
  for (const [unit, factor] of Object.entries(SIZE_UNITS).reverse()) {
    if (bytes >= factor) return `${trimmed(bytes / factor)} ${unit}`;
  }
  return '0 B';
}

/** `4 ms`, `1.2 s`, `2 min`. */
export function formatTime(ms: number): string {
  if (ms < 1000) return `${String(Math.round(ms))} ms`;
  if (ms < 60_000) return `${trimmed(ms / 1000)} s`;
  return `${trimmed(ms / 60_000)} min`;
}

function trimmed(value: number): string {
  const digits = value >= 100 ? 0 : value >= 10 ? 1 : 2;
  const factor = 10 ** digits;
  return String(Math.floor(value * factor) / factor);
}
