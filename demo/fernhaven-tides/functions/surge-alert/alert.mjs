// Decides from a water-level event whether to raise an alarm, and writes the message from a template.
import { readFile } from 'node:fs/promises';
import { stationName } from './stations.mjs';
import { surge } from './surge.mjs';

const template = await readFile(new URL('./templates/alarm.txt', import.meta.url), 'utf8');
const alertLevelCm = Number(process.env.ALERT_LEVEL_CM);

/** @param event a CloudEvent with `station`, `levelCm` and `predictedCm` in its data */
export async function decide(event, context) {
  const { station, levelCm, predictedCm } = event.data;
  if (!Number.isFinite(levelCm)) throw new TypeError(`no water level in event ${event.id}`);
  const surgeCm = surge(levelCm, predictedCm);
  console.log(`${context.run}: ${station} at ${levelCm} cm, surge ${surgeCm} cm`);
  if (levelCm < alertLevelCm) return { alarm: false, station, levelCm, surgeCm };
  const message = template
    .replace('{station}', stationName(station))
    .replace('{level}', String(levelCm))
    .replace('{surge}', String(surgeCm))
    .trim();
  return { alarm: true, station, levelCm, surgeCm, message, paged: process.env.PAGER_TOKEN !== undefined };
}
