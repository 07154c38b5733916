/** MS-DOS date and time (APPNOTE 4.4.6): two-second steps from 1980 to 2107, without a time zone. We write UTC. */

export interface DosTime {
  readonly date: number;
  readonly time: number;
}

/** 1980-01-01T00:00:00Z, the first moment the format can say. */
export const DOS_FLOOR: DosTime = { date: (1 << 5) | 1, time: 0 };
const DOS_CEILING: DosTime = { date: (127 << 9) | (12 << 5) | 31, time: (23 << 11) | (59 << 5) | 29 };

/** The DOS time of seconds since 1970, held to what the format can say. */
export function toDosTime(epochSeconds: number): DosTime {
  const when = new Date(epochSeconds * 1000);
  const year = when.getUTCFullYear();
  if (year < 1980) return DOS_FLOOR;
  if (year > 2107 || Number.isNaN(year)) return DOS_CEILING;
  return {
    date: ((year - 1980) << 9) | ((when.getUTCMonth() + 1) << 5) | when.getUTCDate(),
    time: (when.getUTCHours() << 11) | (when.getUTCMinutes() << 5) | (when.getUTCSeconds() >> 1),
  };
}

/** `1980-01-01 00:00:00`; fields out of range are shown as they stand. */
export function formatDosTime({ date, time }: DosTime): string {
  const two = (n: number): string => String(n).padStart(2, '0');
  const day = `${String(1980 + (date >> 9))}-${two((date >> 5) & 15)}-${two(date & 31)}`;
  return `${day} ${two(time >> 11)}:${two((time >> 5) & 63)}:${two((time & 31) * 2)}`;
}
