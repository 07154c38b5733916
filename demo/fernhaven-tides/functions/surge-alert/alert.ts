// Decides from a water-level event whether to raise an alarm, and writes the message from a template.
import { readFile } from 'node:fs/promises';
import { stationName } from '@fernhaven/stations';
import { classify } from 'surgetable';
import { formatHeight } from 'tidelines';
import { surge } from './surge.js';

interface WaterLevel {
  readonly station: string;
  readonly levelCm: number;
  readonly predictedCm: number;
}

interface Context {
  readonly run: string;
}

const alertLevelCm = Number(process.env.ALERT_LEVEL_CM);

/** @param event a CloudEvent with a water level in its data */
export async function decide(event: { readonly id: string; readonly data: WaterLevel }, context: Context) {
  const { station, levelCm, predictedCm } = event.data;
  if (!Number.isFinite(levelCm)) throw new TypeError(`no water level in event ${event.id}`);
  const surgeCm = surge(levelCm, predictedCm);
  console.log(`${context.run}: ${station} at ${formatHeight(levelCm)}, surge ${formatHeight(surgeCm)}`);
  if (levelCm < alertLevelCm) return { alarm: false, station, levelCm, surgeCm };
  const { word, advice } = classify(surgeCm);
  const template = await readFile(new URL('./templates/alarm.txt', import.meta.url), 'utf8');
  const message = template
    .replace('{station}', stationName(station))
    .replace('{level}', formatHeight(levelCm))
    .replace('{surge}', formatHeight(surgeCm))
    .replace('{word}', word)
    .replace('{advice}', advice)
    .trim();
  return { alarm: true, station, levelCm, surgeCm, message, paged: process.env.PAGER_TOKEN !== undefined };
}
