/** Made-up events of the right shape, to start from. */
import { example } from './judge';
import type { EventRead } from './reads';
import { writeRequest, type WebRequest } from './requests';
import type { Calls, Shape } from './shape';

/** `request`: as a web application gets it; `data`: data alone; `cloudevent`: a whole event. */
export const EVENT_KINDS = ['request', 'data', 'cloudevent'] as const;
export type EventKind = (typeof EVENT_KINDS)[number];

export interface MadeUp {
  readonly kind: EventKind;
  readonly shape: Shape;
  readonly calls: Pick<Calls, 'event'>;
  /** What the code reads of its event; what it needs gets a place. */
  readonly reads: readonly EventRead[];
  /** Names that stand in it. */
  readonly project: string;
  readonly name: string;
  /** Now, RFC 3339. */
  readonly time: string;
}

/** An event as a file of it stands in a project. */
export function madeUpEvent(wanted: MadeUp): unknown {
  if (wanted.kind === 'request') return writeRequest(wanted.shape, REQUEST);
  const data = madeUpData(wanted);
  if (wanted.kind === 'data') return data;
  const { project, name, time } = wanted;
  return {
    specversion: '1.0',
    id: `${name}-1`,
    source: `/${project}/${name}`,
    type: `${project}.${name}`,
    time,
    datacontenttype: 'application/json',
    data,
  };
}

const REQUEST: WebRequest = {
  method: 'GET',
  path: '/stations/north-pier',
  query: 'unit=cm',
  headers: [
    ['accept', 'application/json'],
    ['host', 'localhost'],
  ],
  body: Buffer.alloc(0),
  scheme: 'https',
  remote: '203.0.113.7',
};

/** Attributes of events themselves are none of their data. */
function madeUpData({ calls, reads }: MadeUp): Record<string, unknown> {
  const ofData =
    calls.event === 'data'
      ? reads
      : reads.flatMap(([first, ...rest]) => (first === 'data' && rest.length > 0 ? [rest] : []));
  return ofData.length > 0 ? example(ofData) : { station: 'north-pier', level: 421 };
}
