import { asksForText, isExpression, readExpression, refused } from './licence-expression';

describe('licence expressions', () => {
  it.each([
    ['MIT', 'MIT'],
    ['MIT/Apache-2.0', 'Apache-2.0 OR MIT'],
    ['(MIT OR Apache-2.0) AND Unicode-3.0', '(MIT OR Apache-2.0) AND Unicode-3.0'],
    ['Apache 2.0', 'Apache-2.0'],
    ['The Apache Software License, Version 2.0', 'Apache-2.0'],
    ['http://www.apache.org/licenses/LICENSE-2.0.txt', 'Apache-2.0'],
    ['MIT License', 'MIT'],
    ['GPL-2.0-only WITH Classpath-exception-2.0', 'GPL-2.0-only WITH Classpath-exception-2.0'],
    ['GNU General Public License v3 or later (GPLv3+)', 'GPL-3.0-or-later'],
    ['BSD', undefined],
    ['UNLICENSED', undefined],
    ['Proprietary', undefined],
    ['', undefined],
    ['x'.repeat(500), undefined],
  ])('%j is read as %j', (written, expected) => {
    expect(readExpression(written)).toBe(expected);
  });

  it.each([
    ['MIT', ['MIT'], [], []],
    ['MIT', ['Apache-2.0'], [], ['MIT']],
    ['MIT OR GPL-3.0-only', ['MIT'], [], []],
    ['MIT AND GPL-3.0-only', ['MIT'], [], ['GPL-3.0-only']],
    ['MIT AND (GPL-3.0-only OR Apache-2.0)', ['MIT', 'Apache-2.0'], [], []],
    ['GPL-2.0-only WITH Classpath-exception-2.0', ['GPL-2.0-only WITH Classpath-exception-2.0'], [], []],
    ['GPL-2.0-only', ['GPL-2.0-only WITH Classpath-exception-2.0'], [], ['GPL-2.0-only']],
    ['GPL-3.0', ['GPL-3.0-only'], [], []],
    ['GPL-3.0+', ['GPL-3.0-or-later'], [], []],
    ['GPL-3.0-or-later', ['GPL-3.0-only'], [], ['GPL-3.0-or-later']],
    ['MIT OR GPL-3.0-only', undefined, ['GPL-3.0-only'], []],
    ['MIT AND GPL-3.0-only', undefined, ['GPL-3.0-only'], ['GPL-3.0-only']],
    ['no expression at all (', ['MIT'], [], ['no expression at all (']],
  ])('of %j with %j allowed and %j denied stand in the way: %j', (expression, allow, deny, expected) => {
    expect(refused(expression, { ...(allow !== undefined && { allow }), deny })).toEqual(expected);
  });

  it('ask for their text to travel, or do not', () => {
    expect(['MIT', 'CC0-1.0', 'MIT OR CC0-1.0', 'MIT AND CC0-1.0'].map(asksForText)).toEqual([
      true,
      false,
      false,
      true,
    ]);
    expect(isExpression('MIT AND')).toBe(false);
  });
});
