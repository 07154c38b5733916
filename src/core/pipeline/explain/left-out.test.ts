import picomatch from 'picomatch';
import type { Waybill } from '../../waybill';
import { leftOut } from './left-out';

const trimmed = (...paths: readonly string[]): Waybill['trimmed'] =>
  paths.map((path, i) => ({ path, size: i + 1, package: 'levels', by: 'tests' }));

/** Only that part of a waybill is asked for. */
const keepOf = (all: Waybill['trimmed']): readonly string[] =>
  leftOut({ trimmed: all } as Waybill, () => true).flatMap(({ keep }) => keep);

describe('what was left out', () => {
  it('is told by package and rule, what saved most first', () => {
    const [a, b] = trimmed('levels/a.py', 'levels/b.py');
    const all = [a, { ...b, by: 'docs' }, { ...b, path: 'x.so', by: 'debug-sections' }] as Waybill['trimmed'];
    const groups = leftOut({ trimmed: all } as Waybill, (path) => path !== 'none');
    expect(groups.map(({ by, size, keep }) => [by, size, keep])).toEqual([
      ['docs', 2, ['levels/b.py']],
      ['debug-sections', 2, []],
      ['tests', 1, ['levels/a.py']],
    ]);
    expect(leftOut({ trimmed: all } as Waybill, () => false)).toEqual([]);
  });

  it('is kept by few paths, or by the folders of many', () => {
    expect(keepOf(trimmed('a/b', 'a/a'))).toEqual(['a/a', 'a/b']);
    expect(keepOf(trimmed('p/a/1', 'p/a/2', 'p/a/3', 'p/b/1', 'p/b/2'))).toEqual(['p/**']);
    expect(keepOf(trimmed('p/1', 'p/2', 'q/1', 'q/2', 'top'))).toEqual(['p/**', 'q/**', 'top']);
  });

  it('is kept by its own name, whatever is in that', () => {
    for (const path of ['a/[id].js', 'a/{x,y}(z).js', 'a/what?*.js']) {
      const [pattern = ''] = keepOf(trimmed(path));
      expect([pattern, picomatch.isMatch(path, pattern), picomatch.isMatch('a/i.js', pattern)]).toEqual([
        pattern,
        true,
        false,
      ]);
    }
  });
});
