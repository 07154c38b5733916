import type { Edited, EditFault } from './editor';
import { editJson } from './json';
import { editMarks } from './marks';
import { editToml } from './toml';
import { editYaml } from './yaml';

function text(result: Edited | EditFault): string {
  if ('expected' in result) throw new Error(`${result.expected}; ${result.found}`);
  return result.text;
}
const found = (result: Edited | EditFault): string => ('expected' in result ? result.found : 'edited');

describe('a value of a YAML file', () => {
  const YAML = `# theirs
functions:
    - name:  horn   # kept
      digest: "old"
      memory: 128
      empty:
      note: >
        folded
    - { name: 'bell', digest: none }
`;
  it.each([
    ['/functions/0/digest', 'new', 'digest: "new"'],
    ['/functions/0/name', 'a: b', 'name:  "a: b"   # kept'],
    ['/functions/0/memory', '256', 'memory: 256\n'],
    ['/functions/0/memory', '1.0.0', 'memory: 1.0.0\n'],
    ['/functions/0/empty', 'full', 'empty: full\n'],
    ['/functions/1/name', "it's", "{ name: 'it''s', digest"],
    ['/functions/1/digest', '123', '{ name: \'bell\', digest: "123" }'],
  ])('is put at %s, and nothing else changes', (at, value, expected) => {
    const now = text(editYaml(YAML, at, value));
    expect(now).toContain(expected);
    expect(text(editYaml(now, at, value))).toBe(now);
    const changed = now.split('\n').filter((line, i) => line !== YAML.split('\n')[i]);
    expect(changed).toHaveLength(1);
  });

  it('keeps what its lines end in', () => {
    expect(text(editYaml('a: 1\r\nb: x # c\r\n', '/b', 'y'))).toBe('a: 1\r\nb: y # c\r\n');
  });

  it('is refused where it is not one plain value', () => {
    expect(found(editYaml(YAML, '/functions/2/name', 'x'))).toBe('`0`, `1` below `/functions`');
    expect(found(editYaml(YAML, '/functions/0', 'x'))).toBe('a mapping');
    expect(found(editYaml(YAML, '/functions/0/note', 'x'))).toBe('a text over several lines');
    expect(found(editYaml('a: 1\na: 2\n', '/a', 'x'))).toBe('2 that match');
    expect(found(editYaml('a: 1\n---\na: 2\n', '/a', 'x'))).toBe('2 that match');
    expect(found(editYaml('a: &one 1\nb: *one\n', '/b', 'x'))).toBe('an alias');
    expect(found(editYaml(YAML, 'functions/0', 'x'))).toBe('something else');
    expect(found(editYaml('a: [1\n', '/a', 'x'))).not.toBe('edited');
  });
});

describe('a value of a JSON file', () => {
  const JSON_TEXT = '{\n  // theirs\n  "a/b": { "c~d": "old", "n": 7 },\n  "list": [ "x",  "y" ],\n}\n';
  it.each([
    ['/a~1b/c~0d', 'new "one"', '"c~d": "new \\"one\\"", "n": 7'],
    ['/a~1b/n', '8', '"n": 8 }'],
    ['/a~1b/n', 'eight', '"n": "eight" }'],
    ['/list/1', 'z', '[ "x",  "z" ]'],
  ])('is put at %s', (at, value, expected) => {
    expect(text(editJson(JSON_TEXT, at, value))).toContain(expected);
  });

  it('is refused where it is not one plain value', () => {
    expect(found(editJson(JSON_TEXT, '/list', 'x'))).toBe('a list');
    expect(found(editJson(JSON_TEXT, '/list/2', 'x'))).toBe('`0`, `1` below `/list`');
    expect(found(editJson('{"a":1,"a":2}', '/a', 'x'))).toBe('2 that match');
    expect(found(editJson('{"a":', '/a', 'x'))).toBe('ValueExpected');
  });
});

describe('a value of a TOML file', () => {
  const TOML = `# theirs
top = 'old'   # kept
[horn]
memory = 128
tags = ["a", "b"]
deep.er = { x = 1, y = "z" }
[[bell]]
name = "one"
[[bell]]
name = "two"
`;
  it.each([
    ['/top', 'new', 'top = "new"   # kept'],
    ['/horn/memory', '256', 'memory = 256\n'],
    ['/horn/tags/1', 'c', '["a", "c"]'],
    ['/horn/deep/er/y', 'q', 'y = "q" }'],
    ['/bell/1/name', 'three', '[[bell]]\nname = "three"\n'],
  ])('is put at %s', (at, value, expected) => {
    expect(text(editToml(TOML, at, value))).toContain(expected);
  });

  it('is refused where it is not one plain value', () => {
    expect(found(editToml(TOML, '/horn/tags', 'x'))).toBe('a list');
    expect(found(editToml(TOML, '/horn/mem', 'x'))).toBe('`memory`, `tags`, `deep` below `/horn`');
    expect(found(editToml('a = ', '/a', 'x'))).not.toBe('edited');
  });
});

describe('a mark of a text', () => {
  it('is filled on lines of its own, or within a line', () => {
    const README = 'Use\n<!-- fill link -->\nold\n<!-- end -->\nand <!-- fill v -->1<!-- end -->.\n';
    const now = text(editMarks(README, 'link', 'new'));
    expect(now).toBe(README.replace('old', 'new'));
    expect(text(editMarks(now, 'v', '2'))).toContain('and <!-- fill v -->2<!-- end -->.');
  });

  it('is refused where it is missing, open or there twice', () => {
    expect(found(editMarks('none', 'a', 'x'))).toBe('no marks');
    expect(found(editMarks('<!-- fill b --><!-- end -->', 'a', 'x'))).toBe('marks `b`');
    expect(found(editMarks('<!-- fill a --> x', 'a', 'x'))).toBe('none');
    expect(found(editMarks('<!-- fill a --><!-- end --><!-- fill a --><!-- end -->', 'a', 'x'))).toBe('2 that match');
  });
});
