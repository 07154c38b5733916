/** Reads `adapter` of a function: the interface of a web application, and the shape of the requests that it gets. */
import { listed, nearestWord, printable } from '../../base/text';
import { OWN_CALLS, OWN_SHAPE, type Calls, type Shape } from '../../events';
import type { Destination, FormFacts, FunctionSpec } from '../model';
import type { SheetNotes } from '../text/notes';
import type { FunctionText } from '../schema';

interface AdapterReading {
  readonly notes: SheetNotes;
  /** Path of the function in the sheet. */
  readonly at: readonly string[];
  readonly text: FunctionText;
  readonly form: FormFacts;
  /** Those that its language has, and titles of the languages that have any. */
  readonly adapters: readonly string[];
  readonly able: readonly string[];
  /** Where it is to run, as far as that could be read. */
  readonly destination: Destination | undefined;
}

/** Reads the key; mistakes are noted. */
export function readAdapter(reading: AdapterReading): Pick<FunctionSpec, 'adapter' | 'shape'> {
  const { text } = reading;
  if (text.adapter === undefined) return {};
  const written = typeof text.adapter === 'string' ? { kind: text.adapter } : text.adapter;
  const at = [...reading.at, 'adapter'];
  refuseKind(reading, typeof text.adapter === 'string' ? at : [...at, 'kind'], written.kind);
  const shape = 'shape' in written ? statedShape(reading, [...at, 'shape'], written.shape) : onlyShape(reading, at);
  return { adapter: written.kind, ...(shape !== undefined && { shape }) };
}

/** How a destination calls functions. */
export function callsOf(destination: Destination | undefined): Calls {
  return destination?.calls ?? OWN_CALLS;
}

/** The shape of requests that a function gets; undefined for our own form, and where requests come as they are. */
export function shapeOf(
  spec: Pick<FunctionSpec, 'adapter' | 'shape' | 'form'>,
  destination: Destination | undefined,
): Shape | undefined {
  if (spec.adapter === undefined || takesPlainRequests(spec.form, callsOf(destination))) return undefined;
  return callsOf(destination).shapes.find(({ name }) => name === spec.shape);
}

/** What an adapter has to know of how it is called. */
export interface AdapterCalls {
  readonly shape: Shape;
  /** Whether events are given as their data alone. */
  readonly isData: boolean;
}

/** How an adapter is called at a destination: in which shape, and with what of the event. */
export function adapterCalls(
  spec: Pick<FunctionSpec, 'adapter' | 'shape' | 'form'>,
  destination: Destination | undefined,
): AdapterCalls {
  return { shape: shapeOf(spec, destination) ?? OWN_SHAPE, isData: callsOf(destination).event === 'data' };
}

/** By HTTP a web application gets the very requests. */
export function takesPlainRequests({ isLayered }: FormFacts, { image }: Calls): boolean {
  return isLayered === true && image === 'http';
}

function refuseKind({ notes, text, adapters, able }: AdapterReading, at: readonly string[], kind: string): void {
  if (adapters.includes(kind)) return;
  const expected =
    adapters.length === 0
      ? `it only for web applications in ${listed(able)}`
      : listed(
          adapters.map((one) => `\`${one}\``),
          'or',
        );
  notes.add(at, expected, `\`${kind}\` for \`${text.runtime}\``, 'name one for this language');
}

function statedShape({ notes, destination }: AdapterReading, at: readonly string[], name: string): string | undefined {
  const stated = callsOf(destination).shapes.map((one) => one.name);
  if (destination === undefined || stated.includes(name)) return name;
  const near = nearestWord(name, stated);
  notes.add(
    at,
    stated.length === 0
      ? `a shape that ${destination.name} states, which states none`
      : `a shape that ${destination.name} states: ${listed(
          stated.map((one) => `\`${one}\``),
          'or',
        )}`,
    `\`${printable(name)}\``,
    near === undefined
      ? `state it under \`calls: { shapes: … }\` in ${destination.file}`
      : `did you mean \`${printable(near)}\`?`,
  );
  return undefined;
}

/** Where a destination has one shape, that is meant. */
function onlyShape({ notes, text, form, destination }: AdapterReading, at: readonly string[]): string | undefined {
  const { shapes } = callsOf(destination);
  if (shapes.length < 2 || takesPlainRequests(form, callsOf(destination))) return shapes[0]?.name;
  notes.add(
    at,
    `one of the shapes that ${destination?.name ?? ''} states: ${listed(
      shapes.map((one) => `\`${one.name}\``),
      'or',
    )}`,
    'none of them',
    `write \`adapter: { kind: ${typeof text.adapter === 'string' ? text.adapter : ''}, shape: ${shapes[0]?.name ?? ''} }\``,
  );
  return undefined;
}
