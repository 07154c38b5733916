/** What code reads of the event that it is given, as far as that stands in it. */
import { literalPattern } from '../base/text';

/** Names on the way: `data`, `level`. */
export type EventRead = readonly string[];

const MOST_STEPS = 4;

/**
 * Names that a text reads of a parameter: `event.data.level` gives `data`, `level`.
 * @param step a step from the parameter on, sticky, with the name in a named group; what calls something is none
 */
export function readsOf(text: string, parameter: string, step: RegExp): EventRead[] {
  const found = new Map<string, EventRead>();
  const start = new RegExp(`(?<![\\w$.'"])${literalPattern(parameter)}(?![\\w$])`, 'g');
  for (const { index } of text.matchAll(start)) {
    const names: string[] = [];
    let at = index + parameter.length;
    while (names.length < MOST_STEPS) {
      step.lastIndex = at;
      const match = step.exec(text);
      const groups: Readonly<Record<string, string | undefined>> = match?.groups ?? {};
      const name = Object.values(groups).find((one) => one !== undefined);
      if (name === undefined) break;
      names.push(name);
      at = step.lastIndex;
    }
    if (names.length > 0) found.set(names.join('\0'), names);
  }
  return [...found.values()];
}
