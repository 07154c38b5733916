/** Where the parts of a web request stand in an event, and those of a response in an answer: how a host writes them. */

/** Parts of a place: the members that lead to it. */
export type Place = readonly string[];

export const QUERY_FORMS = ['text', 'mapping', 'lists'] as const;
export const HEADER_FORMS = ['either', 'mapping', 'lists'] as const;

export interface RequestShape {
  readonly method?: Place;
  readonly path?: Place;
  /** `text`: as it stands behind `?`; `mapping`: names and values; `lists`: names and lists of values. */
  readonly query?: { readonly at: Place; readonly as: (typeof QUERY_FORMS)[number] };
  /** `either`: a value, or a list of them where a header is repeated; `mapping`: repeated ones joined by commas; `lists`. */
  readonly headers?: { readonly at: Place; readonly as: (typeof HEADER_FORMS)[number] };
  /** A list of texts, each `name=value`; otherwise they are a header. */
  readonly cookies?: Place;
  readonly body?: Place;
  /** Whether the body is in base64. */
  readonly base64?: Place;
  /** Where a body in base64 stands, in place of `body`. */
  readonly bodyBase64?: Place;
  readonly scheme?: Place;
  /** The address that the request came from. */
  readonly remote?: Place;
  /** Members that the host always adds. */
  readonly with: readonly (readonly [Place, unknown])[];
}

export interface ResponseShape {
  readonly status?: Place;
  readonly headers?: { readonly at: Place; readonly as: (typeof HEADER_FORMS)[number] };
  /** A list of values of Set-Cookie; otherwise they are a header. */
  readonly cookies?: Place;
  readonly body?: Place;
  readonly base64?: Place;
  readonly bodyBase64?: Place;
  /** Members that the host wants besides. */
  readonly with: readonly (readonly [Place, unknown])[];
}

export interface Shape {
  readonly name: string;
  readonly request: RequestShape;
  readonly response: ResponseShape;
}

/** Our own form, where a destination states none. */
export const OWN_SHAPE: Shape = {
  name: '',
  request: {
    method: ['method'],
    path: ['path'],
    query: { at: ['query'], as: 'text' },
    headers: { at: ['headers'], as: 'either' },
    cookies: ['cookies'],
    body: ['body'],
    bodyBase64: ['body-base64'],
    scheme: ['scheme'],
    remote: ['remote'],
    with: [],
  },
  response: {
    status: ['status'],
    headers: { at: ['headers'], as: 'either' },
    body: ['body'],
    bodyBase64: ['body-base64'],
    with: [],
  },
};

/** How a destination calls functions. */
export interface Calls {
  /** What the member gets: the whole CloudEvent, or its data alone. */
  readonly event: 'cloudevent' | 'data';
  /** Under which names the host gives what stands beside the event; ours where it does not say. */
  readonly context: Readonly<Record<ContextWord, string>>;
  /** How native executables and images are spoken to: events by lines, or by HTTP on the port in `PORT`. */
  readonly native: Speech;
  readonly image: Speech;
  /** Calls at once that one instance gets. */
  readonly concurrency: number;
  /** A path that answers 200 when the function is ready. */
  readonly health?: string;
  /** Longest time from the start until it is ready, and from SIGTERM to its end. */
  readonly startMs: number;
  readonly stopMs: number;
  readonly shapes: readonly Shape[];
}

export const SPEECHES = ['lines', 'http'] as const;
export type Speech = (typeof SPEECHES)[number];
export const CONTEXT_WORDS = ['run', 'deadline', 'memory', 'name', 'log'] as const;
export type ContextWord = (typeof CONTEXT_WORDS)[number];

/** How we call, where a destination does not say. */
export const OWN_CALLS: Calls = {
  event: 'cloudevent',
  context: { run: 'run', deadline: 'deadline', memory: 'memory', name: 'name', log: 'log' },
  native: 'lines',
  image: 'lines',
  concurrency: 1,
  startMs: 10_000,
  stopMs: 10_000,
  shapes: [],
};
