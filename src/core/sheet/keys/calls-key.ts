/** `calls` of a destination: how it gives events and web requests to functions, and takes their answers. */
import { z } from 'zod';
import type { Problem } from '../../base/errors';
import { printable } from '../../base/text';
import { parseTime, TIME_PATTERN } from '../../base/units';
import {
  CONTEXT_WORDS,
  HEADER_FORMS,
  OWN_CALLS,
  pointerParts,
  QUERY_FORMS,
  SPEECHES,
  type Calls,
  type Place,
  type RequestShape,
  type ResponseShape,
  type Shape,
} from '../../events';
import type { YamlFile } from '../text/yaml';

const POINTER = 'a JSON Pointer such as `/call/path`';
const pointer = () =>
  z.string({ error: POINTER }).refine((text) => text !== '' && pointerParts(text) !== undefined, { error: POINTER });
const time = () =>
  z
    .string({ error: 'a time such as `10 s`' })
    .regex(TIME_PATTERN, { error: 'a time such as `10 s` (ms, s, min or h)' });
const oneOf = <const T extends readonly [string, ...string[]]>(words: T) =>
  z.enum(words, { error: words.map((one) => `\`${one}\``).join(' or ') });

const placed = <const T extends readonly [string, ...string[]]>(forms: T) =>
  z.union([pointer(), z.strictObject({ at: pointer(), as: oneOf(forms) })], {
    error: `${POINTER}, or \`{ at, as }\` with \`as\` one of ${forms.join(', ')}`,
  });
const added = () =>
  z
    .record(z.string(), z.unknown(), { error: 'a mapping of JSON Pointers and values' })
    .optional()
    .meta({ description: 'Members that are always there besides, by JSON Pointers.' });

const bodies = {
  body: pointer().optional().meta({ description: 'Where the body stands.' }),
  base64: pointer().optional().meta({ description: 'Where it stands whether the body is in base64.' }),
  'body-base64': pointer().optional().meta({ description: 'Where a body in base64 stands, instead of `body`.' }),
  with: added(),
};

const requestShape = z.strictObject(
  {
    method: pointer().optional().meta({ description: 'Where the method stands.' }),
    path: pointer().optional().meta({ description: 'Where the path stands, percent-encoded as it was sent.' }),
    query: placed(QUERY_FORMS).optional().meta({
      description:
        'Where the query stands: as `text`, as a `mapping` of names and values, or of names and `lists` of values.',
    }),
    headers: placed(HEADER_FORMS).optional().meta({
      description:
        'Where headers stand: repeated ones as lists and others as texts (`either`), joined by commas (`mapping`), or all as `lists`.',
    }),
    cookies: pointer().optional().meta({ description: 'Where a list of cookies stands; they are a header otherwise.' }),
    ...bodies,
    scheme: pointer().optional().meta({ description: 'Where `http` or `https` stands.' }),
    remote: pointer().optional().meta({ description: 'Where the address of the client stands.' }),
  },
  { error: 'a mapping of parts of a request and JSON Pointers' },
);

const responseShape = z.strictObject(
  {
    status: pointer().optional().meta({ description: 'Where the status stands.' }),
    headers: placed(HEADER_FORMS).optional().meta({ description: 'Where headers stand, as above.' }),
    cookies: pointer().optional().meta({ description: 'Where a list of Set-Cookie values stands.' }),
    ...bodies,
  },
  { error: 'a mapping of parts of a response and JSON Pointers' },
);

const contextWord = z
  .string({ error: 'a name' })
  .regex(/^[A-Za-z_$][\w$]*$/, { error: 'a name of letters, digits and `_`' })
  .optional();

/** The shape of `calls`. */
export const callsField = z
  .strictObject(
    {
      event: oneOf(['cloudevent', 'data'])
        .optional()
        .meta({ description: 'What the member gets: the whole CloudEvent (the default), or its data alone.' }),
      context: z
        .strictObject(Object.fromEntries(CONTEXT_WORDS.map((word) => [word, contextWord])), {
          error: `a mapping of ${CONTEXT_WORDS.join(', ')} and names`,
        })
        .optional()
        .meta({
          description: `Names under which the host gives what stands beside the event: ${CONTEXT_WORDS.map((one) => `\`${one}\``).join(', ')}.`,
        }),
      native: oneOf(SPEECHES)
        .optional()
        .meta({ description: 'How native executables are called: an event a line (the default), or by HTTP.' }),
      image: oneOf(SPEECHES)
        .optional()
        .meta({ description: 'How images are called: an event a line (the default), or by HTTP.' }),
      concurrency: z
        .int({ error: 'a whole number' })
        .positive({ error: 'a number above 0' })
        .max(1000, { error: 'at most 1000' })
        .optional()
        .meta({ description: 'By HTTP: calls at once that one instance gets. Default: 1.' }),
      health: z
        .string({ error: 'a path such as `/ready`' })
        .regex(/^\/[\w./~-]*$/, { error: 'a path such as `/ready`' })
        .optional()
        .meta({ description: 'By HTTP: a path that answers with 200 when the function is ready.' }),
      start: time().optional().meta({ description: 'By HTTP: longest time until it listens. Default: 10 s.' }),
      stop: time().optional().meta({ description: 'By HTTP: longest time from SIGTERM to its end. Default: 10 s.' }),
      shapes: z
        .record(
          z.string(),
          z.strictObject({ request: requestShape, response: responseShape }, { error: '`request` and `response`' }),
          { error: 'a mapping of names and shapes' },
        )
        .optional()
        .meta({
          description:
            'Shapes of web requests in events, by name: where each part stands in the data of the event, and in the answer.',
        }),
    },
    { error: 'a mapping that says how functions are called' },
  )
  .optional()
  .meta({ description: 'How it calls functions, where that is not our own way.' });

type CallsText = NonNullable<z.output<typeof callsField>>;
type ShapeText = NonNullable<CallsText['shapes']>[string];

/** What a schema cannot hold: members that are in each other's way. */
export function callsProblems(calls: CallsText | undefined, yaml: YamlFile): Problem[] {
  return Object.entries(calls?.shapes ?? {}).flatMap(([name, { request, response }]) =>
    Object.entries({ request, response }).flatMap(([side, parts]) => {
      const at = ['calls', 'shapes', name, side];
      return [...badPointers(parts.with ?? {}, [...at, 'with'], yaml), ...collisions(parts, at, yaml)];
    }),
  );
}

function badPointers(more: Readonly<Record<string, unknown>>, at: readonly string[], yaml: YamlFile): Problem[] {
  return Object.keys(more)
    .filter((text) => text === '' || pointerParts(text) === undefined)
    .map((text) => ({
      place: yaml.placeOf([...at, text], 'key'),
      expected: POINTER,
      found: `\`${printable(text)}\``,
      mend: 'begin with `/`, one for each member on the way',
    }));
}

function collisions(parts: ShapeText['request' | 'response'], at: readonly string[], yaml: YamlFile): Problem[] {
  const named = [
    ...Object.entries(parts).flatMap(([key, value]) => {
      if (key === 'with') return [];
      const text = typeof value === 'string' ? value : (value as { readonly at: string }).at;
      return [{ text, key: [...at, key] }];
    }),
    ...Object.keys(parts.with ?? {}).map((text) => ({ text, key: [...at, 'with', text] })),
  ];
  return named.flatMap(({ text, key }, i) => {
    const other = named
      .slice(0, i)
      .find((one) => `${text}/`.startsWith(`${one.text}/`) || `${one.text}/`.startsWith(`${text}/`));
    if (other === undefined) return [];
    return [
      {
        place: yaml.placeOf(key),
        expected: 'a place of its own for each part',
        found: `\`${printable(text)}\`, where \`${printable(other.key.slice(at.length).join(' '))}\` stands at \`${printable(other.text)}\``,
        mend: 'give one of them another place',
      },
    ];
  });
}

/** @returns undefined where nothing is said */
export function settleCalls(text: CallsText | undefined): Calls | undefined {
  if (text === undefined) return undefined;
  const { event, context, native, image, concurrency, health, start, stop, shapes = {} } = text;
  return {
    event: event ?? OWN_CALLS.event,
    context: { ...OWN_CALLS.context, ...withoutGaps(context ?? {}) },
    native: native ?? OWN_CALLS.native,
    image: image ?? OWN_CALLS.image,
    concurrency: concurrency ?? OWN_CALLS.concurrency,
    ...(health !== undefined && { health }),
    startMs: parseTime(start ?? '') ?? OWN_CALLS.startMs,
    stopMs: parseTime(stop ?? '') ?? OWN_CALLS.stopMs,
    shapes: Object.entries(shapes).map(([name, shape]) => settleShape(name, shape)),
  };
}

function withoutGaps(words: Readonly<Record<string, string | undefined>>): Record<string, string> {
  return Object.fromEntries(Object.entries(words).flatMap(([key, word]) => (word === undefined ? [] : [[key, word]])));
}

function settleShape(name: string, { request, response }: ShapeText): Shape {
  const { query, headers, scheme, remote, method, path } = request;
  return {
    name,
    request: {
      ...placesOf({ method, path, scheme, remote }),
      ...(query !== undefined && { query: { as: 'text', ...formed(query) } }),
      ...(headers !== undefined && { headers: { as: 'either', ...formed(headers) } }),
      ...common(request),
    } as RequestShape,
    response: {
      ...placesOf({ status: response.status }),
      ...(response.headers !== undefined && { headers: { as: 'either', ...formed(response.headers) } }),
      ...common(response),
    } as ResponseShape,
  };
}

function common({
  cookies,
  body,
  base64,
  'body-base64': bodyBase64,
  with: more = {},
}: ShapeText['request' | 'response']) {
  return {
    ...placesOf({ cookies, body, base64, bodyBase64 }),
    with: Object.entries(more).map(([at, value]) => [place(at), value] as const),
  };
}

function placesOf(texts: Readonly<Record<string, string | undefined>>): Record<string, Place> {
  return Object.fromEntries(
    Object.entries(texts).flatMap(([key, text]) => (text === undefined ? [] : [[key, place(text)]])),
  );
}

function formed(value: string | { readonly at: string; readonly as: string }): { at: Place; as?: string } {
  return typeof value === 'string' ? { at: place(value) } : { at: place(value.at), as: value.as };
}

function place(text: string): Place {
  return pointerParts(text) ?? [];
}
