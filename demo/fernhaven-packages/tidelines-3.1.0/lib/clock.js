const MILLISECONDS_IN_A_MINUTE = 60_000;

/** `2026-02-11T07:24:00Z` gives `07:24`. */
export function formatClock(time) {
  return new Date(time).toISOString().slice(11, 16);
}

export function minutesBetween(from, to) {
  return Math.round((Date.parse(to) - Date.parse(from)) / MILLISECONDS_IN_A_MINUTE);
}
