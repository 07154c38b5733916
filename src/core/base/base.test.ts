import { comparePaths, leadsOut, linkStaysInside, settlePath, unsafePathReason } from './paths';
import { count, listed, nearestWord, printable } from './text';
import { formatSize, formatTime, parseSize, parseTime } from './units';

describe('sizes and times', () => {
  it.each([
    ['64 MiB', 67_108_864],
    ['1.5 KiB', 1536],
    ['0 B', 0],
    ['64MiB', undefined],
    ['64 MB', undefined],
    ['-1 B', undefined],
  ])('%s is %s bytes', (text, bytes) => expect(parseSize(text)).toBe(bytes));

  it.each([
    ['30 s', 30_000],
    ['20 min', 1_200_000],
    ['1.5 h', 5_400_000],
    ['30', undefined],
  ])('%s is %s milliseconds', (text, ms) => expect(parseTime(text)).toBe(ms));

  it('shows them with the digits that matter', () => {
    expect([0, 812, 1409, 67_108_864, 115_343_360].map(formatSize)).toEqual([
      '0 B',
      '812 B',
      '1.37 KiB',
      '64 MiB',
      '110 MiB',
    ]);
    expect([4, 1234, 120_000].map(formatTime)).toEqual(['4 ms', '1.23 s', '2 min']);
  });
});

describe('paths', () => {
  it('are ordered by their UTF-8 bytes', () => {
    const sorted = ['b', 'a/b', 'a', 'a-b', '\u{1f30a}', '\uff5e', 'é'].sort(comparePaths);
    expect(sorted).toEqual([...sorted].sort((a, b) => Buffer.compare(Buffer.from(a), Buffer.from(b))));
  });

  it('are settled, or found to leave', () => {
    expect(['a/./b/../c', '', 'a//b', '../a', 'a/../..'].map(settlePath)).toEqual([
      'a/c',
      '',
      'a/b',
      undefined,
      undefined,
    ]);
  });

  it('are told safe from unsafe', () => {
    expect(['a/b.txt', 'ö', '..a/b'].map(unsafePathReason)).toEqual([undefined, undefined, undefined]);
    for (const path of ['', '/a', 'a/../b', 'a\\b', 'c:x', 'a\0', 'a\nb', 'a//b', './a'])
      expect([path, typeof unsafePathReason(path)]).toEqual([path, 'string']);
  });

  it('of links stay inside or not', () => {
    expect(['b', '../b', 'x/../../b'].map((target) => linkStaysInside('a/link', target))).toEqual([true, true, true]);
    const links = new Map([
      ...Object.entries({ 'a/up': '..', loop: 'loop', 'a/down': 'b', out: 'a/up/..', deep: 'a/down/..' }),
    ]);
    const out = [...links.keys()].filter((path) => leadsOut(path, (one) => links.get(one)));
    expect(out).toEqual(['out']);
    expect(['../../b', '/b', ''].map((target) => linkStaysInside('a/link', target))).toEqual([false, false, false]);
  });
});

describe('words', () => {
  it('finds the one that was meant', () => {
    expect(nearestWord('leave_out', ['keep', 'leave-out', 'links'])).toBe('leave-out');
    expect(nearestWord('sorce', ['source', 'runtime'])).toBe('source');
    expect(nearestWord('entirely-else', ['source', 'runtime'])).toBeUndefined();
  });

  it('are made safe to print', () => expect(printable('a\u001b[31m\u202eb\n')).toBe('a\\u{1b}[31m\\u{202e}b\\u{a}'));

  it('are counted and listed', () => {
    expect([count(1, 'file'), count(20_000, 'file')]).toEqual(['1 file', '20,000 files']);
    expect([listed([]), listed(['a']), listed(['a', 'b', 'c'], 'or')]).toEqual(['', 'a', 'a, b or c']);
  });
});
