/** Events: CloudEvents 1.0 in JSON. A plain JSON file is wrapped as the `data` of one. */
import { EmballageError } from '../base/errors';
import { printable } from '../base/text';
import { readTextFile } from '../disk/read-text';
import { parseExact, writeExact } from './exact-json';

export type CloudEvent = Readonly<Record<string, unknown>> & { readonly specversion: '1.0' };

const MAX_EVENT_BYTES = 16 * 1024 * 1024;
/** CloudEvents 1.0, "Required attributes". */
const REQUIRED = ['id', 'source', 'type'] as const;

export interface NamedEvent {
  /** The file, as shown to people. */
  readonly name: string;
  readonly event: CloudEvent;
}

/**
 * Reads an event file.
 * @param path absolute path
 * @param shown its name for messages
 * @param time now, RFC 3339, for events that are wrapped
 */
export function readEvent(path: string, shown: string, time: string): NamedEvent {
  const doing = 'reading the event';
  const text = readTextFile(path, {
    doing,
    shown,
    maxBytes: MAX_EVENT_BYTES,
    mendMissing: 'correct the path or write the event',
  });
  let value: unknown;
  try {
    value = parseExact(text);
  } catch (cause) {
    const { where, what } = jsonFault(text, cause);
    throw new EmballageError(
      'EVENT_INVALID',
      {
        doing,
        where: `${shown}${where}`,
        expected: 'one JSON document',
        found: what,
        mend: 'mend the file; an event is JSON',
      },
      cause,
    );
  }
  return { name: shown, event: toCloudEvent(value, shown, time) };
}

/**
 * A value as an event: what says that it is one has to be, anything else becomes the data of one.
 * @param shown where it comes from, for messages
 * @throws EmballageError EVENT_INVALID
 */
export function toCloudEvent(value: unknown, shown: string, time: string): CloudEvent {
  return isCloudEvent(value) ? validate(value, shown, 'reading the event') : wrap(value, shown, time);
}

function isCloudEvent(value: unknown): value is CloudEvent {
  return typeof value === 'object' && value !== null && 'specversion' in value;
}

function wrap(data: unknown, shown: string, time: string): CloudEvent {
  return {
    specversion: '1.0',
    id: shown,
    source: '/emballage/try',
    type: 'emballage.try',
    time,
    datacontenttype: 'application/json',
    data,
  };
}

function validate(event: CloudEvent, shown: string, doing: string): CloudEvent {
  const refuse = (expected: string, found: string): EmballageError =>
    new EmballageError('EVENT_INVALID', {
      doing,
      where: shown,
      expected,
      found,
      mend: 'mend the event; without `specversion` the file is taken as plain data',
    });
  const version: unknown = event.specversion;
  if (version !== '1.0') throw refuse('`specversion` "1.0"', printable(writeExact(version)));
  for (const name of REQUIRED) {
    const value = event[name];
    if (typeof value !== 'string' || value === '')
      throw refuse(
        `the attribute \`${name}\`, a text that is not empty`,
        value === undefined ? 'none' : printable(writeExact(value)),
      );
  }
  // CloudEvents 1.0, "Naming conventions".
  const odd = Object.keys(event).find((name) => !/^[a-z0-9]+$/.test(name) && name !== 'data_base64');
  if (odd !== undefined) throw refuse('attribute names of small letters and digits', `\`${printable(odd)}\``);
  return event;
}

/** Where JSON breaks off: V8 gives a position, or says that the text ended. */
function jsonFault(text: string, cause: unknown): { where: string; what: string } {
  const message = cause instanceof Error ? cause.message : '';
  if (text.trim() === '') return { where: '', what: 'a file that holds nothing' };
  const position = /position (\d+)/.exec(message)?.[1];
  const at = position === undefined ? text.length : Number(position);
  const before = text.slice(0, at).split('\n');
  const where = `:${String(before.length)}:${String((before.at(-1)?.length ?? 0) + 1)}`;
  const next = text.slice(at, at + 1);
  return {
    where,
    what: next === '' ? 'a document that is not finished' : `\`${printable(next)}\` where JSON cannot go on`,
  };
}
