const names = new Map((process.env.STATION_NAMES ?? '').split(',').map((pair) => pair.split('=')));

/** The name that people in Fernhaven know a gauge by. */
export function stationName(id) {
  return names.get(id) ?? id;
}
