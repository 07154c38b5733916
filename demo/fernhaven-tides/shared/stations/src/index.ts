/** The gauges of Fernhaven, for every function that speaks of them. */
export { stationName, stations, type Station } from './names.ts';
export { distanceKm } from './map.ts';
