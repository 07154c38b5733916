/** What is changed in a sheet, and that nothing else is. */
import { addPair, appendBlock, removePair, renameKey, replaceText } from './edit';

const SHEET = `# Ours.
functions:
  horn: # the horn
    source: f # here
    entry: 'horn.mjs#sound'   # what is called
    settings:
      # how loud
      LOUD: { sample: "1" } # very
      LONG: { sample: "2" }

  bell: { source: b, entry: bell.mjs#ring, settings: { FAR: {}, NEAR: {} } }
  gong:
    source: g
    entry: gong.mjs#strike # the last
# The end.
`;

describe('a sheet is changed in place', () => {
  it('where a text stands, with its comment kept', () => {
    const edited = replaceText(SHEET, ['functions', 'horn', 'entry'], 'horn.mjs#blow');
    expect(edited).toBe(SHEET.replace("'horn.mjs#sound'", 'horn.mjs#blow'));
    expect(replaceText(SHEET, ['functions', 'bell', 'entry'], 'a: b')).toContain('entry: "a: b", settings');
    expect(replaceText(SHEET, ['functions', 'horn', 'settings'], 'x')).toBeUndefined();
    expect(replaceText(SHEET, ['functions', 'none', 'entry'], 'x')).toBeUndefined();
  });

  it('where a pair is added: to a block, to one line, to nothing yet', () => {
    const at = (name: string): string[] => ['functions', name, 'settings'];
    expect(addPair(SHEET, at('horn'), ['HIGH', '{}'], 'entry')).toBe(
      SHEET.replace('LONG: { sample: "2" }\n', 'LONG: { sample: "2" }\n      HIGH: {}\n'),
    );
    expect(addPair(SHEET, at('bell'), ['HIGH', '{}'], 'entry')).toBe(
      SHEET.replace('NEAR: {} }', 'NEAR: {}, HIGH: {} }'),
    );
    expect(addPair(SHEET, at('gong'), ['HIGH', '{}'], 'entry')).toBe(
      SHEET.replace('# the last\n', '# the last\n    settings:\n      HIGH: {}\n'),
    );
    const empty = 'functions:\n  horn:\n    entry: a\n    settings: {}\n    more: 1';
    expect(addPair(empty, at('horn'), ['HIGH', '1'], 'entry')).toBe(empty.replace('{}', '{ HIGH: 1 }'));
    const nothing = 'functions:\n  horn:\n    entry: a\n    settings:\n    more: 1\n';
    expect(addPair(nothing, at('horn'), ['HIGH', '1'], 'entry')).toBe(
      nothing.replace('settings:\n', 'settings:\n      HIGH: 1\n'),
    );
    const line = 'functions: { horn: { entry: a } }\n';
    expect(addPair(line, at('horn'), ['HIGH', '1'], 'entry')).toBe(
      line.replace('entry: a', 'entry: a, settings: { HIGH: 1 }'),
    );
    const alias = 'a: &a { X: {} }\nfunctions:\n  horn:\n    entry: a\n    settings: *a\n';
    expect(addPair(alias, at('horn'), ['HIGH', '1'], 'entry')).toBeUndefined();
  });

  it('where a pair goes or gets another name', () => {
    const loud = ['functions', 'horn', 'settings', 'LOUD'];
    expect(removePair(SHEET, loud)).toBe(SHEET.replace('      LOUD: { sample: "1" } # very\n', ''));
    expect(renameKey(SHEET, loud, 'LOUDER')).toBe(SHEET.replace('LOUD:', 'LOUDER:'));
    const flow = (name: string): string[] => ['functions', 'bell', 'settings', name];
    expect(removePair(SHEET, flow('FAR'))).toBe(SHEET.replace('FAR: {}, ', ''));
    expect(removePair(SHEET, flow('NEAR'))).toBe(SHEET.replace(', NEAR: {}', ''));
    const last = removePair(removePair(SHEET, loud) ?? '', ['functions', 'horn', 'settings', 'LONG']);
    expect(last).not.toContain('settings:\n');
    expect(last).toContain('# what is called\n');
  });

  it('where a block is added, with the line breaks that are there', () => {
    const windows = SHEET.replaceAll('\n', '\r\n');
    const block = (indent: string): string => `${indent}drum:\n${indent}  source: d`;
    const edited = appendBlock(windows, ['functions'], block);
    expect(edited).toBe(windows.replace('# the last\r\n', '# the last\r\n\r\n  drum:\r\n    source: d\r\n'));
    expect(appendBlock('functions: { a: {} }\n', ['functions'], block)).toBeUndefined();
    expect(appendBlock('functions:\n  a: 1', ['functions'], block)).toBe(
      'functions:\n  a: 1\n\n  drum:\n    source: d\n',
    );
  });
});
