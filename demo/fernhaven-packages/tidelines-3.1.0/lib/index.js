/** Heights and times of tides, as people in Fernhaven write them. */
export { formatHeight, parseHeight } from './heights.js';
export { formatClock, minutesBetween } from './clock.js';
export { drawCurve } from './curve.js';
export * as almanac from './almanac.js';
