import { KNOWN } from '../known';
import { languageOf } from '../languages';
import { readDestination as readWith, type DestinationFile } from './destination';
import { entryString } from './entry';
import type { LanguageId } from './model';
import type { OpenWay } from './part';
import { openWays } from './sheet';
import { readYaml } from './text/yaml';

const DESTINATION =
  'destination: slipway\narch: [arm64]\naccepts: { zip: { packed: 1.5 MiB, one-file: 2 KiB } }\nruntimes: { node 20: {} }\n';

describe('YAML with its places', () => {
  const yaml = readYaml('a: 1\nb:\n  - x\n  - { c: [d, e] }\nf: &anchor\n  g: h\ni: *anchor\n', 'x.yaml');

  it('is read as data', () => {
    expect([yaml.problems, yaml.value]).toEqual([
      [],
      { a: 1, b: ['x', { c: ['d', 'e'] }], f: { g: 'h' }, i: { g: 'h' } },
    ]);
  });

  it.each<[readonly (string | number)[], 'key' | 'value', string]>([
    [['a'], 'key', '1:1'],
    [['a'], 'value', '1:4'],
    [['b', 1, 'c', 1], 'value', '4:14'],
    [['b', 0], 'value', '3:5'],
    [['f', 'g'], 'value', '6:6'],
    [['i', 'g'], 'value', '6:6'],
    [['f', 'missing'], 'key', '5:1'],
    [['nowhere'], 'key', '1:1'],
  ])('knows where %j stands (%s)', (path, part, expected) => {
    const { line, column } = yaml.placeOf(path, part);
    expect(`${String(line)}:${String(column)}`).toBe(expected);
  });

  it('tells a syntax error in its place', () => {
    expect(readYaml('a: [1,\nb: 2\n', 'x.yaml').problems[0]).toMatchObject({
      place: { file: 'x.yaml', line: 2 },
      expected: 'valid YAML',
    });
  });
});

describe('a destination', () => {
  let ways: readonly OpenWay[];
  beforeAll(async () => {
    ways = await openWays(KNOWN.ways);
  });
  const readDestination = (text: string): DestinationFile => readWith(text, 'd.yaml', KNOWN, ways);

  it('is settled: sizes in bytes, defaults filled in', () => {
    expect(readDestination(DESTINATION)).toEqual({
      problems: [],
      destination: {
        name: 'slipway',
        file: 'd.yaml',
        archs: ['arm64'],
        cpu: {},
        accepts: { zip: { packed: 1_572_864, oneFile: 2048 } },
        runtimes: [{ name: 'node 20', provides: [] }],
        entry: {},
        memory: {},
        settings: { reserved: [], required: [] },
      },
    });
  });

  it.each([
    ['accepts: { zip: {} }', 'accepts: { zipp: {} }', '`zipp` -> did you mean `zip`?'],
    ['arch: [arm64]', 'arch: []', 'a list -> write it as expected'],
    ['destination: slipway', 'destination: Slip Way', '`Slip Way` -> write it as expected'],
    ['runtimes: { node 20: {} }', 'runtimes: { node 20: { ends: 2027 } }', '`2027` -> write it as expected'],
    ['runtimes: { node 20: {} }', 'runtimes: { node 20: }', 'nothing -> write it as expected'],
  ])('with %s written %s is refused', (right, wrong, expected) => {
    const text = DESTINATION.replace(/accepts:.*/, 'accepts: { zip: {} }').replace(right, wrong);
    const { destination, problems } = readDestination(text);
    expect([destination, problems.map(({ found, mend }) => `${found} -> ${mend}`)]).toEqual([undefined, [expected]]);
  });

  it('puts the entry into its own words', () => {
    const { destination } = readDestination(DESTINATION);
    if (destination === undefined) throw new Error('no destination');
    const entry = { text: 'lib/alert.mjs#decide', file: 'lib/alert.mjs', member: 'decide' };
    const result = (language: LanguageId, form?: string): string =>
      entryString({ ...destination, entry: { [language]: form } }, languageOf(language).sheet.entry, entry);
    expect([
      result('node'),
      result('node', '{module}.{member}'),
      result('python', '{module}:{member}'),
      result('node', 'run {path}'),
    ]).toEqual(['lib/alert.mjs#decide', 'lib/alert.decide', 'lib.alert:decide', 'run lib/alert.mjs']);
  });
});
