import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { holds, type MarkerEnvironment } from './marker';
import { parseRequirement } from './requirement';
import { fitsAll, parseSpecifiers } from './specifier';
import { parseWheelName, targetTags } from './tags';
import { compareVersions, parseVersion } from './version';

interface Vectors {
  readonly normal: readonly (readonly [text: string, normal: string | null])[];
  readonly order: readonly (readonly string[])[];
  readonly fits: readonly (readonly [text: string, results: readonly (readonly [string, boolean])[] | null])[];
  readonly wheels: readonly (readonly [file: string, parts: readonly [string, string, number, number] | null])[];
  readonly requirements: readonly (readonly [
    text: string,
    parts: readonly [name: string, extras: readonly string[], holds: readonly boolean[]] | null,
  ])[];
  readonly tags: readonly (readonly [string, number, readonly string[], readonly string[]])[];
}

const vectors = JSON.parse(
  readFileSync(join(__dirname, '../../../../../test/fixtures/python/vectors.json'), 'utf8'),
) as Vectors;

const TARGETS = [
  { python: '3.9', arch: 'x86_64', glibc: '2.36' },
  { python: '3.12', arch: 'arm64', glibc: '2.36' },
] as const;

const environment = (python: string, machine: string): MarkerEnvironment => ({
  os_name: 'posix',
  sys_platform: 'linux',
  platform_machine: machine,
  platform_python_implementation: 'CPython',
  platform_release: '',
  platform_system: 'Linux',
  platform_version: '',
  python_version: python,
  python_full_version: `${python}.99`,
  implementation_name: 'cpython',
  implementation_version: `${python}.99`,
});

/** What Python's own library says of real versions, specifiers, markers and file names. */
describe('agreement with the packaging library', () => {
  it('on which texts are versions, and their normal form', () => {
    for (const [text, normal] of vectors.normal)
      expect([text, parseVersion(text)?.text ?? null]).toEqual([text, normal]);
  });

  it('on the order of versions', () => {
    const [order = []] = vectors.order;
    for (let i = 1; i < order.length; i++) {
      const [a, b] = [parseVersion(order[i - 1] ?? ''), parseVersion(order[i] ?? '')];
      if (a === undefined || b === undefined) throw new Error('a version cannot be read');
      expect([a.text, b.text, compareVersions(a, b) <= 0, compareVersions(b, a) >= 0]).toEqual([
        a.text,
        b.text,
        true,
        true,
      ]);
    }
  });

  it('on which versions fit a specifier', () => {
    for (const [text, results] of vectors.fits) {
      const { specifiers, bad } = parseSpecifiers(text);
      expect([text, bad !== undefined]).toEqual([text, results === null]);
      for (const [candidate, fits] of results ?? []) {
        const version = parseVersion(candidate);
        if (version !== undefined)
          expect([text, candidate, fitsAll(specifiers, version)]).toEqual([text, candidate, fits]);
      }
    }
  });

  it('on the parts of wheel names and how well they suit a target', () => {
    const ranks = TARGETS.map((target) => new Map(targetTags(target).map((tag, i) => [tag, i])));
    for (const [file, parts] of vectors.wheels) {
      const wheel = parseWheelName(file);
      const best = ranks.map((rank) => Math.min(...(wheel?.tags ?? []).map((tag) => rank.get(tag) ?? Infinity)));
      const found = wheel && [wheel.name, wheel.version.text, ...best.map((n) => (n === Infinity ? -1 : n))];
      expect([file, found ?? null]).toEqual([file, parts]);
    }
    const tags = TARGETS.map(targetTags);
    expect(tags.map((all) => [all.length, all.slice(0, 3), all.slice(-3)])).toEqual(
      vectors.tags.map(([, ...rest]) => rest),
    );
  });

  it('on names, extras and markers of requirements', () => {
    for (const [text, parts] of vectors.requirements) {
      const reading = parseRequirement(text);
      if (parts === null || reading.kind === 'fault') {
        expect([text, reading.kind]).toEqual([text, parts === null ? 'fault' : 'requirement']);
        continue;
      }
      const { name, extras, marker } = reading.requirement;
      const environments = [environment('3.9', 'x86_64'), environment('3.12', 'aarch64')];
      const results = environments.flatMap((env) =>
        ['', 'all', 'test'].map((extra) => marker === undefined || holds(marker, env, extra === '' ? [] : [extra])),
      );
      const plain = (word: string): string => word.replace(/[-_.]+/g, '-').toLowerCase();
      expect([text, name, extras, results]).toEqual([text, plain(parts[0]), parts[1].map(plain).sort(), parts[2]]);
    }
  });
});
