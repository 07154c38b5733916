import { join } from 'node:path';
import { folderWith } from '../../../test/support/program';
import { withFields } from '../../../test/support/errors';
import { readEvent } from './event';
import { writeExact } from './exact-json';

const NOW = '2026-02-11T04:12:00.000Z';
const textOf = (text: string | Buffer): string =>
  writeExact(readEvent(join(folderWith({ 'e.json': text }), 'e.json'), 'e.json', NOW).event);
const read = (text: string | Buffer): unknown => JSON.parse(textOf(text));
const EVENT = { specversion: '1.0', id: '1', source: '/gauges/pier', type: 'fernhaven.level' };

describe('an event', () => {
  it.each(['{ "levelCm": 318 }', '[1, 2]', '"calm"', 'null', '0'])('of plain JSON is wrapped: %s', (text) => {
    expect(read(text)).toEqual({
      specversion: '1.0',
      id: 'e.json',
      source: '/emballage/try',
      type: 'emballage.try',
      time: NOW,
      datacontenttype: 'application/json',
      data: JSON.parse(text) as unknown,
    });
  });

  it('keeps every digit of its numbers', () => {
    const text = '{"a":12345678901234567890,"b":1.0,"c":[-0.10,1E400],"a":9007199254740993}';
    expect(textOf(text)).toContain('"data":{"a":9007199254740993,"b":1.0,"c":[-0.10,1E400]}');
  });

  it('that is a CloudEvent is passed on as it is', () => {
    const event = { ...EVENT, tidezone: 'north', data_base64: 'AA==' };
    expect(read(JSON.stringify(event))).toEqual(event);
  });

  it.each<[string, object, string]>([
    ['of another version', { specversion: '0.3' }, '`specversion` "1.0"'],
    ['without an id', { id: undefined }, 'the attribute `id`'],
    ['with an empty source', { source: '' }, 'the attribute `source`'],
    ['with a number for a type', { type: 5 }, 'the attribute `type`'],
    ['with a name in capitals', { tideZone: 'north' }, 'small letters and digits'],
  ])('%s is refused', (_name, change, result) => {
    expect(() => read(JSON.stringify({ ...EVENT, ...change }))).toThrow(
      withFields({
        code: 'EVENT_INVALID',
        facts: expect.objectContaining({ expected: expect.stringContaining(result) as unknown }) as unknown,
      }),
    );
  });

  it.each<[string, string | Buffer, string]>([
    ['cut off', '{ "a": [1,', 'EVENT_INVALID'],
    ['empty', ' \n', 'EVENT_INVALID'],
    ['not UTF-8', Buffer.from([0x22, 0xff, 0x22]), 'FILE_NOT_TEXT'],
    ['far too big', Buffer.alloc(17 << 20, 32), 'FILE_TOO_BIG'],
  ])('%s is refused', (_name, text, code) => {
    expect(() => read(text)).toThrow(withFields({ code }));
  });
});
