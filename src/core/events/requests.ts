/** Web requests and responses, written into events and read from answers as a shape says. */
import { groupBy } from '../base/several';
import { pointerText, putAt, valueAt } from './pointer';
import type { Place, RequestShape, ResponseShape, Shape } from './shape';

export interface WebRequest {
  readonly method: string;
  /** Percent-encoded, as it was sent. */
  readonly path: string;
  /** What stood behind `?`. */
  readonly query: string;
  /** Names in small letters, in the order in which they were sent. */
  readonly headers: readonly (readonly [name: string, value: string])[];
  readonly body: Buffer;
  readonly scheme: string;
  readonly remote: string;
}

export interface WebResponse {
  readonly status: number;
  readonly headers: readonly (readonly [name: string, value: string])[];
  readonly body: Buffer;
}

type Headers = WebRequest['headers'];

/** The data of an event for a request. */
export function writeRequest({ request: shape }: Shape, request: WebRequest): Record<string, unknown> {
  const data: Record<string, unknown> = {};
  const put = (place: Place | undefined, value: unknown): void => {
    if (place !== undefined && value !== undefined) putAt(data, place, value);
  };
  for (const [place, value] of shape.with) put(place, value);
  put(shape.method, request.method);
  put(shape.path, request.path);
  put(shape.query?.at, writeQuery(request.query, shape.query?.as));
  const cookies = request.headers.filter(([name]) => name === 'cookie').flatMap(([, value]) => value.split(/;\s*/));
  const others = shape.cookies === undefined ? request.headers : request.headers.filter(([name]) => name !== 'cookie');
  put(shape.cookies, cookies.length > 0 ? cookies : undefined);
  put(shape.headers?.at, writeHeaders(others, shape.headers?.as));
  put(shape.scheme, request.scheme === '' ? undefined : request.scheme);
  put(shape.remote, request.remote === '' ? undefined : request.remote);
  writeBody(data, shape, request.body);
  return data;
}

/** A body that is no text goes in base64. */
function writeBody(data: Record<string, unknown>, shape: RequestShape, body: Buffer): void {
  const text = body.toString('utf8');
  const isText = Buffer.from(text).equals(body);
  if (shape.base64 !== undefined) putAt(data, shape.base64, !isText);
  const place = isText ? shape.body : (shape.bodyBase64 ?? shape.body);
  if (place !== undefined) putAt(data, place, isText ? text : body.toString('base64'));
}

function writeQuery(query: string, as: NonNullable<RequestShape['query']>['as'] | undefined): unknown {
  if (as === undefined || as === 'text') return query;
  return as === 'lists' ? valuesByName(new URLSearchParams(query)) : Object.fromEntries(new URLSearchParams(query));
}

function writeHeaders(headers: Headers, as: NonNullable<RequestShape['headers']>['as'] | undefined): unknown {
  const all = valuesByName(headers);
  if (as === 'lists') return all;
  return Object.fromEntries(
    Object.entries(all).map(([name, values]) => [
      name,
      as === 'mapping' ? joinedHeader(name, values) : values.length === 1 ? values[0] : values,
    ]),
  );
}

/** RFC 9110 5.3; cookies are joined as RFC 6265 5.4 has it. */
function joinedHeader(name: string, values: readonly string[]): string {
  return values.join(name === 'cookie' ? '; ' : ', ');
}

/** All values of each name, in their order. */
export function valuesByName(pairs: Iterable<readonly [string, string]>): Record<string, string[]> {
  const all = groupBy(pairs, ([name]) => name);
  return Object.fromEntries([...all].map(([name, found]) => [name, found.map(([, value]) => value)]));
}

/** What is wrong with an answer that is to be a response. */
export class NoResponse extends Error {}

/**
 * The response in an answer.
 * @throws NoResponse saying what is not as the shape wants it
 */
export function readResponse({ response: shape }: Shape, answer: unknown): WebResponse {
  const status = shape.status === undefined ? 200 : valueAt(answer, shape.status);
  if (typeof status !== 'number' || !Number.isInteger(status) || status < 100 || status > 999)
    throw new NoResponse(`no status at \`${pointerText(shape.status ?? [])}\``);
  const headers = [
    ...readHeaders(shape.headers === undefined ? {} : valueAt(answer, shape.headers.at), shape.headers?.at ?? []),
    ...textsAt(answer, shape.cookies).map((value) => ['set-cookie', value] as const),
  ];
  return { status, headers, body: readBody(answer, shape) };
}

function readBody(answer: unknown, shape: ResponseShape): Buffer {
  const encoded = shape.bodyBase64 === undefined ? undefined : valueAt(answer, shape.bodyBase64);
  if (typeof encoded === 'string') return Buffer.from(encoded, 'base64');
  const body = shape.body === undefined ? undefined : valueAt(answer, shape.body);
  if (body === undefined || body === null) return Buffer.alloc(0);
  if (typeof body !== 'string') throw new NoResponse(`no text as body at \`${pointerText(shape.body ?? [])}\``);
  const isEncoded = shape.base64 !== undefined && valueAt(answer, shape.base64) === true;
  return Buffer.from(body, isEncoded ? 'base64' : 'utf8');
}

function readHeaders(value: unknown, at: Place): (readonly [string, string])[] {
  if (value === undefined || value === null) return [];
  if (typeof value !== 'object' || Array.isArray(value))
    throw new NoResponse(`no mapping of headers at \`${pointerText(at)}\``);
  return Object.entries(value).flatMap(([name, one]: [string, unknown]) =>
    (Array.isArray(one) ? one : [one]).map((text) => [name.toLowerCase(), String(text)] as const),
  );
}

function textsAt(answer: unknown, place: Place | undefined): string[] {
  const value = place === undefined ? undefined : valueAt(answer, place);
  return Array.isArray(value) ? value.map(String) : [];
}

/** A response as our own form of an answer has it. */
export function ownAnswer({ status, headers, body }: WebResponse): Record<string, unknown> {
  const text = body.toString('utf8');
  const isText = Buffer.from(text).equals(body);
  return {
    status,
    headers: writeHeaders(headers, 'either'),
    ...(isText ? { body: text } : { 'body-base64': body.toString('base64') }),
  };
}

/** The parts of a request that are not where a shape has them; none for what looks like a request of it. */
export function missingParts({ request: shape }: Shape, data: unknown): string[] {
  const wanted = [shape.method, shape.path].flatMap((place) => (place === undefined ? [] : [place]));
  return wanted.filter((place) => typeof valueAt(data, place) !== 'string').map(pointerText);
}

/** The request in the data of an event, as an adapter would read it. */
export function readRequest({ request: shape }: Shape, data: unknown): WebRequest {
  const text = (place: Place | undefined, usual: string): string => {
    const value = place === undefined ? undefined : valueAt(data, place);
    return typeof value === 'string' ? value : usual;
  };
  const cookies = textsAt(data, shape.cookies);
  return {
    method: text(shape.method, 'GET').toUpperCase(),
    path: text(shape.path, '/'),
    query: readQuery(shape.query === undefined ? '' : valueAt(data, shape.query.at)),
    headers: [
      ...readHeaders(shape.headers === undefined ? {} : valueAt(data, shape.headers.at), shape.headers?.at ?? []),
      ...(cookies.length > 0 ? [['cookie', cookies.join('; ')] as const] : []),
    ],
    body: readBody(data, { ...shape }),
    scheme: text(shape.scheme, 'http'),
    remote: text(shape.remote, ''),
  };
}

function readQuery(value: unknown): string {
  if (typeof value === 'string') return value;
  if (typeof value !== 'object' || value === null) return '';
  const pairs = Object.entries(value).flatMap(([name, one]: [string, unknown]) =>
    (Array.isArray(one) ? one : [one]).map((text): [string, string] => [name, String(text)]),
  );
  return new URLSearchParams(pairs).toString();
}
