/** What settings are where: the value at a destination, and what of a function's settings its bytes depend on. */
import type { FunctionSpec, Setting } from './model';

/** The value at a destination; undefined where the sheet has none, as for secrets. */
export function valueAt({ sample, values }: Setting, destination: string): string | undefined {
  return values === undefined ? sample : values[destination];
}

/** The value to try it with here. */
export function valueToTry({ sample, values }: Setting, destination: string): string | undefined {
  return sample ?? values?.[destination];
}

/** Whether the destination has the value already. */
export function isHeld({ held }: Setting, destination: string): boolean {
  return held?.includes(destination) === true;
}

/** Names of parts as they stand in the text, whose digest is in waybills. */
const WRITTEN: Readonly<Record<string, string>> = { byLanguage: 'own' };

/** What a function's artifact and waybill depend on, as text: not what its settings are where it runs. */
export function inputsText({ place: _place, isArchived: _isArchived, ...spec }: FunctionSpec): string {
  const settings = spec.settings.flatMap(({ values: _values, held: _held, beside, ...one }) =>
    beside === undefined ? [one] : [],
  );
  const stated = { ...spec, form: spec.form.id, settings, beside: spec.beside.length > 0 ? spec.beside : undefined };
  return JSON.stringify(Object.fromEntries(Object.entries(stated).map(([key, value]) => [WRITTEN[key] ?? key, value])));
}
