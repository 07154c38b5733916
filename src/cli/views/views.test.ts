import { EmballageError } from '../../core/base/errors';
import { bar } from './bar';
import { errorDocument, errorText } from './error';
import { makePaint } from './paint';
import { table } from './table';

const plain = makePaint(false);

describe('a bar', () => {
  it.each([
    [0, 100, '························'],
    [1, 100_000, '▏·······················'],
    [50, 100, '████████████············'],
    [100, 100, '████████████████████████'],
    [900, 100, '████████████████████████'],
  ])('for %s of %s', (used, allowed, expected) => {
    expect(bar({ used, allowed, unit: 'bytes', by: 'slipway' }, plain)).toBe(expected);
  });

  it('changes its colour near the limit and beyond', () => {
    const color = (used: number): string =>
      /\[(\d+)m[▉-▏█]/.exec(bar({ used, allowed: 100, unit: 'count', by: 'x' }, makePaint(true)))?.[1] ?? '';
    expect([50, 95, 101].map(color)).toEqual(['32', '33', '31']);
  });
});

describe('a table', () => {
  it('has columns two spaces apart and no trailing space', () => {
    expect(
      table(
        [
          ['a', '1', ''],
          ['bb', '100', 'x'],
        ],
        [1],
      ),
    ).toBe('  a     1\n  bb  100  x');
  });
});

describe('an error', () => {
  const error = new EmballageError('FILE_MISSING', {
    doing: 'reading the event',
    where: 'e.json',
    expected: 'a file',
    found: 'nothing there',
    mend: 'write it',
  });

  it('says what was done, where, what was expected and found, and how to mend it', () => {
    expect(errorText(error, plain, false)).toBe(
      [
        'error while reading the event',
        '    where     e.json',
        '    expected  a file',
        '    found     nothing there',
        '    mend      write it',
      ].join('\n'),
    );
    expect(errorDocument(error)).toEqual({
      error: {
        code: 'FILE_MISSING',
        doing: 'reading the event',
        where: 'e.json',
        expected: 'a file',
        found: 'nothing there',
        mend: 'write it',
      },
    });
  });

  it('of ours is told as such, with its stack only when asked', () => {
    const fault = new Error('never');
    expect(errorText(fault, plain, false)).toContain('error of ours, not yours');
    expect(errorText(fault, plain, false)).not.toContain('views.test');
    expect(errorText(fault, plain, true)).toContain('views.test');
  });

  it('shows at most fifty mistakes', () => {
    const problems = Array.from({ length: 60 }, (_, i) => ({
      place: { file: 'x.yaml', line: i + 1, column: 1 },
      expected: 'a',
      found: 'b',
      mend: 'c',
    }));
    const text = errorText(
      new EmballageError('SHEET_INVALID', { doing: 'reading', found: '60 mistakes', mend: 'mend them', problems }),
      plain,
      false,
    );
    expect([text.includes('x.yaml:50:1'), text.includes('x.yaml:51:1'), text.includes('and 10 more')]).toEqual([
      true,
      false,
      true,
    ]);
  });
});
