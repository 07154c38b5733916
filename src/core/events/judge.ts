/** Whether an event is what a function takes: the most common first failure is one of another shape. */
import { firstFew, listed, printable } from '../base/text';
import type { CloudEvent } from './event';
import { writeExact } from './exact-json';
import { putAt, valueAt } from './pointer';
import type { EventRead } from './reads';
import { missingParts, readRequest, writeRequest } from './requests';
import { OWN_SHAPE, type Calls, type Shape } from './shape';

/** What a function takes. */
export interface Taken {
  /** For a web application: the shape of its requests. */
  readonly shape?: Shape;
  readonly calls: Pick<Calls, 'event' | 'shapes'>;
  /** What its code reads of the event; nothing where that cannot be seen. */
  readonly reads: readonly EventRead[];
}

export interface EventFault {
  readonly expected: string;
  readonly found: string;
  readonly mend: string;
  /** The data of the event as it would be right, where that can be told. */
  readonly right?: unknown;
}

const SHOWN = 6;

/** @returns undefined for an event that fits, as far as can be seen */
export function judgeEvent(event: CloudEvent, taken: Taken): EventFault | undefined {
  if (taken.shape !== undefined) return judgeRequest(event.data, taken.shape, taken.calls.shapes);
  return requestInstead(event.data, taken) ?? judgeReads(event, taken);
}

function judgeRequest(data: unknown, shape: Shape, others: readonly Shape[]): EventFault | undefined {
  const missing = missingParts(shape, data);
  if (missing.length === 0) return undefined;
  const other = [OWN_SHAPE, ...others].find((one) => one !== shape && isRequest(one, data));
  const request =
    other === undefined
      ? {
          ...readRequest(shape, {}),
          method: 'POST',
          headers: [JSON_TYPE],
          body: Buffer.from(writeExact(data ?? null)),
        }
      : readRequest(other, data);
  const right = writeRequest(shape, request);
  return {
    expected: `a web request, with ${listed(missing.map((one) => `\`${one}\``))}`,
    found:
      other === undefined
        ? shownNames(data)
        : `a request in ${other.name === '' ? 'our own form' : `the shape \`${other.name}\``}`,
    mend: 'write the event as it stands below; `emballage event NAME` prints one to start from',
    right,
  };
}

const JSON_TYPE = ['content-type', 'application/json'] as const;

function isRequest(shape: Shape, data: unknown): boolean {
  return (shape.request.method ?? shape.request.path) !== undefined && missingParts(shape, data).length === 0;
}

/** A web request to a function that takes events. */
function requestInstead(data: unknown, { calls, reads }: Taken): EventFault | undefined {
  const shape = [OWN_SHAPE, ...calls.shapes].find((one) => isRequest(one, data));
  if (shape === undefined || isAskedFor(shape, reads)) return undefined;
  const { body } = readRequest(shape, data);
  return {
    expected: 'an event with data of its own',
    found: 'a web request, which a plain function gets as it is',
    mend: 'write `adapter` in the sheet if the entry is a web application; otherwise give what the request carries',
    right: parsed(body),
  };
}

/** Code that reads parts of a request itself knows what it gets. */
function isAskedFor({ request }: Shape, reads: readonly EventRead[]): boolean {
  const places = [request.method, request.path, request.body].filter((one) => one !== undefined);
  return places.some((place) => reads.some((read) => read.includes(place[0] ?? '')));
}

function parsed(body: Buffer): unknown {
  try {
    return JSON.parse(body.toString('utf8'));
  } catch {
    return body.toString('utf8');
  }
}

/** Code that reads names of which none is there was written for another event. */
function judgeReads(event: CloudEvent, { calls, reads }: Taken): EventFault | undefined {
  const isData = calls.event === 'data';
  const given = isData ? event.data : event;
  const names = [...new Set(reads.flatMap(([first]) => first ?? []))];
  if (names.length === 0 || names.some((name) => has(given, name))) return judgeData(event, isData, reads);
  const wanted = oneOf(names);
  const expected = `an event with ${wanted}, which the code reads`;
  if (!isData && names.some((name) => has(event.data, name)))
    return {
      expected,
      found: `a CloudEvent, in whose \`data\` ${names.some((name) => !has(event.data, name)) ? 'some of that stands' : 'that stands'}`,
      mend: 'read it from `data`, or state `calls: { event: data }` where the destination gives data alone',
    };
  if (isData && names.some((name) => has(event, name)))
    return {
      expected,
      found: `the data alone, since the destination states \`calls: { event: data }\`: ${shownNames(given)}`,
      mend: 'read the data itself, or have the destination give whole events',
    };
  return { expected, found: shownNames(given), mend: MEND, right: example(names.map((one) => [one])) };
}

const MEND = 'give it the event that it was written for; `emballage event NAME` prints one to start from';

/** The same one level below, in the data of an event. */
function judgeData(event: CloudEvent, isData: boolean, reads: readonly EventRead[]): EventFault | undefined {
  const below = reads
    .filter(([first, second]) => first === 'data' && second !== undefined)
    .map((read) => read.slice(1));
  const names = [...new Set(below.flatMap(([first]) => first ?? []))];
  if (isData || names.length === 0 || names.some((name) => has(event.data, name))) return undefined;
  const wanted = oneOf(names);
  return {
    expected: `data with ${wanted}, which the code reads`,
    found: shownNames(event.data),
    mend: MEND,
    right: example(below),
  };
}

/** The first of many names, as alternatives. */
function oneOf(names: readonly string[]): string {
  return listed(
    names.slice(0, SHOWN).map((one) => `\`${printable(one)}\``),
    'or',
  );
}

function has(value: unknown, name: string): boolean {
  return valueAt(value, [name]) !== undefined;
}

function shownNames(value: unknown): string {
  if (Array.isArray(value)) return `a list of ${String(value.length)}`;
  if (typeof value !== 'object' || value === null) return value === undefined ? 'no data' : `a ${typeof value}`;
  const names = namesIn(value);
  return names.length === 0 ? 'nothing in it' : listed(names);
}

/** Names of the members of an object, as they are shown; the first of many. */
export function namesIn(value: unknown): string[] {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return [];
  const names = Object.keys(value).map((one) => `\`${printable(one)}\``);
  return [...firstFew(names, SHOWN)];
}

/** Data with the names that code reads. */
export function example(reads: readonly EventRead[]): Record<string, unknown> {
  const data: Record<string, unknown> = {};
  // The longer ones come first: what has parts is more than a value.
  for (const read of [...reads].sort((a, b) => b.length - a.length))
    if (valueAt(data, read) === undefined) putAt(data, read, null);
  return data;
}
