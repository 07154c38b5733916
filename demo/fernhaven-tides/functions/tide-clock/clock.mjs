/** When the next high water is, and whether to ring the bell. */
export function next({ data }, { name }) {
  const warn = Number(process.env.WARN_MINUTES);
  if (!process.env.BELL_TOKEN) throw new Error('no BELL_TOKEN: who would be let at the bell?');
  // Half a lunar day lies between two high waters.
  const minutes = (745 - (data.minutesSinceHighWater % 745)) % 745;
  console.error(`${name}: high water in ${minutes} minutes, the bell rings below ${warn}`);
  return { station: data.station, highWaterIn: minutes, bell: minutes < warn };
}
