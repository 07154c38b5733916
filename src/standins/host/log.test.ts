import { LogKeeper } from './log';

const kept = (...parts: Buffer[]) => {
  const log = new LogKeeper();
  parts.forEach((part) => log.add(part));
  return log.take();
};

describe('the log of a function', () => {
  it('is its lines', () =>
    expect(kept(Buffer.from('a\nb'), Buffer.from('c\n'))).toEqual({ lines: ['a', 'bc'], droppedBytes: 0 }));

  it('starts afresh when taken', () => {
    const log = new LogKeeper();
    log.add(Buffer.from('a\n'));
    log.take();
    expect([log.bytes, log.take()]).toEqual([0, { lines: [], droppedBytes: 0 }]);
  });

  it('is cut at a limit, even in the middle of a character', () => {
    const { lines, droppedBytes, garbage } = kept(Buffer.from('x'), Buffer.from('\u20ac'.repeat(100_000)));
    expect([lines.length, droppedBytes, garbage]).toEqual([1, 300_001 - 262_144, undefined]);
  });

  it('is garbage when it is no text', () => {
    expect(kept(Buffer.from([0xff])).garbage).toBe('a log that is not UTF-8 text');
    expect(kept(Buffer.from('a\0')).garbage).toContain('NUL');
    expect(kept(...Array.from({ length: 65 }, () => Buffer.alloc(1 << 20, 97))).garbage).toContain(
      'bytes of log in one call',
    );
  });

  it('remembers its end', () => {
    const log = new LogKeeper();
    log.add(Buffer.from('FATAL ERROR: Reached heap limit Allocation failed - JavaScript heap out of'));
    log.add(Buffer.from(' memory'));
    expect([log.mentions('heap out of memory'), log.mentions('river')]).toEqual([true, false]);
  });
});
