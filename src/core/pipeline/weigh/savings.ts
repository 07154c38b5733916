/** What could still go out of an artifact, and what that would save. */
import { printable } from '../../base/text';
import { groupBy } from '../../base/several';
import type { Waybill } from '../../waybill';
import type { LayerGroup, Part, Saving } from './model';

/** Bytes below which a saving is not worth a line. */
const LEAST = 512;
/** Paths of `trim: safe`, roughly: what is exact, tracing and packing tell. */
const PLAINLY_LESS =
  /(?:^|\/)(?:tests?|__tests__|docs?|examples?|benchmarks?|__pycache__)\/|\.(?:d\.[cm]?ts|pyi|map|md|rst)$/i;

export interface SavingFacts {
  readonly parts: readonly Part[];
  readonly waybill: Waybill | undefined;
  readonly layers: readonly LayerGroup[] | undefined;
}

/** What the artifact itself shows; a language adds the keys of its own. */
export function savingsOf({ parts, waybill, layers }: SavingFacts): Saving[] {
  const all = [
    ...(waybill?.trim === 'off' ? [untrimmed(parts)] : []),
    ...(waybill === undefined ? [] : [...duplicates(waybill), ...severalVersions(parts)]),
    ...debugging(parts),
    ...maps(parts),
    ...translations(parts),
    ...(layers ?? []).filter(({ wasted }) => wasted > 0).map(wasted),
  ];
  return all
    .filter(({ unpacked }) => unpacked === undefined || unpacked >= LEAST)
    .sort((a, b) => (b.unpacked ?? 0) - (a.unpacked ?? 0));
}

function sum(parts: readonly Part[]): number {
  return parts.reduce((total, { unpacked }) => total + unpacked, 0);
}

function untrimmed(parts: readonly Part[]): Saving {
  const less = parts.filter(({ path, owner }) => owner.kind === 'package' && PLAINLY_LESS.test(path));
  return {
    what: 'trim',
    about: 'tests, documentation, stubs and caches of packages',
    unpacked: sum(less),
    line: 'trim: safe',
  };
}

/** The same content under several paths. */
function duplicates({ files }: Waybill): Saving[] {
  const seen = new Set<string>();
  const twice = new Set<string>();
  for (const { kind, size, sha256 } of files)
    if (kind === 'file' && size > 0 && sha256 !== undefined) (seen.has(sha256) ? twice : seen).add(sha256);
  const same = files.filter(({ sha256 }) => sha256 !== undefined && twice.has(sha256));
  return [...groupBy(same, ({ sha256 }) => sha256 ?? '').values()].map((all) => {
    const shown = all.slice(0, 2).map(({ path }) => printable(path));
    return {
      what: 'duplicates',
      about: `the same content ${String(all.length)} times: ${shown.join(', ')}${all.length > 2 ? ', …' : ''}`,
      unpacked: all.slice(1).reduce((total, { size }) => total + size, 0),
    };
  });
}

/** Several versions of one package: all but the heaviest could go, if those who ask for them agreed. */
function severalVersions(parts: readonly Part[]): Saving[] {
  const packages = parts.filter(({ owner }) => owner.kind === 'package');
  const byName = groupBy(packages, ({ owner }) => owner.title.replace(/ [^ ]*$/, ''));
  return [...byName].flatMap(([name, all]) => {
    const versions = [...groupBy(all, ({ owner }) => owner.key).values()].map(sum).sort((a, b) => b - a);
    if (versions.length < 2) return [];
    const unpacked = versions.slice(1).reduce((a, b) => a + b, 0);
    return [{ what: 'versions', about: `${String(versions.length)} versions of ${name}`, unpacked }];
  });
}

function debugging(parts: readonly Part[]): Saving[] {
  const sections = parts.filter(({ section, path }) => /^\.(?:z?debug|symtab|strtab)/.test(section ?? path));
  if (sections.length === 0) return [];
  return [{ what: 'strip', about: 'symbols and debugging sections', unpacked: sum(sections), line: 'strip: all' }];
}

function maps(parts: readonly Part[]): Saving[] {
  const found = parts.filter(({ path, owner }) => path.endsWith('.map') && owner.kind !== 'package');
  if (found.length === 0) return [];
  return [{ what: 'sourcemap', about: 'source maps', unpacked: sum(found), line: 'sourcemap: none' }];
}

/** Where texts in many languages lie, one folder or file a language (RFC 5646, a language and perhaps a region). */
const TRANSLATION =
  /(?:^|\/)(?:locales?|i18n|l10n|lang(?:uage)?s?|translations)\/([a-z]{2,3}(?:[-_][A-Za-z]{2,4})?)(?:\/|\.[a-z]+$)/;

/** Texts of packages in languages that the function may never speak; English is what they fall back to. */
function translations(parts: readonly Part[]): Saving[] {
  const spoken = parts.flatMap((part) => {
    const [, language] = part.owner.kind === 'own' ? [] : (TRANSLATION.exec(part.path) ?? []);
    return language === undefined || /^en\b/.test(language) ? [] : [{ part, language }];
  });
  const languages = new Set(spoken.map(({ language }) => language));
  if (languages.size < 2) return [];
  const about = `texts of packages in ${String(languages.size)} languages beside English`;
  return [{ what: 'languages', about, unpacked: sum(spoken.map(({ part }) => part)) }];
}

function wasted({ name, wasted: bytes }: LayerGroup): Saving {
  return { what: 'layers', about: `in layer ${name}, hidden by layers above it`, unpacked: bytes };
}
