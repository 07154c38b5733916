/** What a failure may have to do with the event: a name that is not in it, or a value of another type. */
import { listed, printable } from '../base/text';
import type { CloudEvent } from './event';
import { judgeEvent, namesIn, type Taken } from './judge';
import { valueAt } from './pointer';

export interface Thrown {
  readonly name: string;
  readonly message: string;
}

/** A sentence, or nothing where the event seems to have no part in it. */
export function guessFailure(thrown: Thrown, event: CloudEvent, taken: Taken): string | undefined {
  const given = taken.calls.event === 'data' ? event.data : event;
  const fault = judgeEvent(event, taken);
  if (fault !== undefined)
    return `the event is not what the function takes: ${fault.expected} is expected, and there is ${fault.found}`;
  if (taken.shape !== undefined) return undefined;
  const missing = missingName(thrown, given, taken);
  if (missing !== undefined) return whereElse(missing, event, given);
  return isOfType(thrown) ? 'a value of the event has another type than the code takes' : undefined;
}

/** The name that was not there: said by the error, or the one before what it says. */
function missingName({ name, message }: Thrown, given: unknown, { reads }: Taken): string | undefined {
  const [, key] = (/KeyError|NoSuchElement/.test(name) ? /^['"]?([\w-]+)['"]?$/ : /a^/).exec(message.trim()) ?? [];
  if (key !== undefined) return valueAt(given, [key]) === undefined ? key : undefined;
  const [, read] = /(?:reading|read property) '([\w$-]+)'/.exec(message) ?? [];
  if (read === undefined) return nullName(message, given);
  const path = reads.find(
    (one) => one.indexOf(read) > 0 && valueAt(given, one.slice(0, one.indexOf(read))) === undefined,
  );
  return path?.find((_, i) => valueAt(given, path.slice(0, i + 1)) === undefined);
}

/** Of values that were null the error says how they were taken: `"Level.station()" is null`. */
function nullName(message: string, given: unknown): string | undefined {
  if (!/ is null$| because /.test(message)) return undefined;
  const names = [...message.matchAll(/\.(?:get)?([A-Za-z_]\w*)\(\)" is null/g)].flatMap(([, one = '']) => one);
  return names
    .map((one) => (one[0] ?? '').toLowerCase() + one.slice(1))
    .find((one) => valueAt(given, [one]) === undefined);
}

function isOfType({ name, message }: Thrown): boolean {
  return name.includes('IllegalArgument') && / where .* is wanted/.test(message);
}

function whereElse(name: string, event: CloudEvent, given: unknown): string {
  const shown = `the event has no \`${printable(name)}\``;
  if (given === event && valueAt(event.data, [name]) !== undefined) return `${shown}: it stands in its \`data\``;
  if (given !== event && valueAt(event, [name]) !== undefined) return `${shown}: the destination gives its data alone`;
  const names = namesIn(given);
  return names.length === 0 ? shown : `${shown}; it has ${listed(names)}`;
}
