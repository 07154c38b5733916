/** Says in words which requirements exclude each other, and who states them. */
import { firstFew, listed } from '../../../base/text';
import type { Project } from '../sources/candidates';
import { parseRequirement } from '../versions/requirement';
import type { Ask, Cause } from '../solver';
import { fitsAll } from '../versions/specifier';
import type { Version } from '../versions/version';

const SHOWN_VERSIONS = 3;

/** @param facts what the solver derived the contradiction from */
export function explain(facts: readonly Cause[], projects: ReadonlyMap<string, Project>): string[] {
  const lines: string[] = [];
  const edges = new Map<string, { ask: Ask; versions: string[] }>();
  for (const fact of facts) {
    if (fact.kind === 'asks') {
      const key = `${fact.ask.by}\0${fact.ask.what}`;
      const known = edges.get(key) ?? { ask: fact.ask, versions: [] };
      if (fact.ask.byVersion !== undefined) known.versions.push(fact.ask.byVersion);
      edges.set(key, known);
    } else if (fact.kind === 'none' && fact.why !== 'no version is left') lines.push(`${fact.name}: ${fact.why}`);
    else if (fact.kind === 'unusable') lines.push(`${fact.name} ${fact.version} ${fact.why}`);
  }
  // An extra asks for its own package; that goes without saying.
  const said = [...edges.values()].filter(({ ask }) => !ask.by.startsWith(`${nameIn(ask.what)}[`));
  const result = said.map(
    ({ ask, versions }) =>
      `${who(ask, versions)} ${versions.length === 1 || ask.byVersion === undefined ? 'asks' : 'ask'} for ${ask.what}`,
  );
  const names = [...new Set(said.map(({ ask }) => ask.what))];
  return [...new Set([...result, ...lines, ...names.flatMap((what) => whyNone(what, projects) ?? [])])];
}

function who({ by, byVersion }: Ask, versions: readonly string[]): string {
  if (byVersion === undefined) return by;
  const unique = [...new Set(versions)];
  return `${by} ${listed(firstFew(unique, SHOWN_VERSIONS))}`;
}

function nameIn(what: string): string {
  return /^[^[<>=!~ @]+/.exec(what)?.[0] ?? what;
}

/** Why a requirement that nothing at all meets is not met. */
function whyNone(what: string, projects: ReadonlyMap<string, Project>): string | undefined {
  const reading = parseRequirement(what);
  if (reading.kind === 'fault') return undefined;
  const { name, specifiers } = reading.requirement;
  const project = projects.get(name);
  if (project === undefined || project.candidates.some((candidate) => fitsAll(specifiers, candidate.version)))
    return undefined;
  if (project.candidates.length === 0 && project.unusable.length === 0) return `no source has ${name}`;
  const near = project.unusable.filter(({ version }) => fitsAll(specifiers, version)).slice(0, SHOWN_VERSIONS);
  if (near.length > 0) {
    const byReason = new Map<string, Version[]>();
    for (const { version, why } of near) byReason.set(why, [...(byReason.get(why) ?? []), version]);
    const result = [...byReason]
      .map(([why, some]) => `${name} ${listed(some.map(({ text }) => text))}: ${why}`)
      .join('; ');
    const newest = project.candidates.find(({ isPrerelease, yanked }) => !isPrerelease && yanked === undefined);
    return newest === undefined ? result : `${result}; the newest that this target can use is ${newest.version.text}`;
  }
  const versions = project.candidates.slice(0, SHOWN_VERSIONS).map((candidate) => candidate.version.text);
  return versions.length === 0
    ? `${name} has no version for this target`
    : `${name} is there as ${listed(versions)}${project.candidates.length > SHOWN_VERSIONS ? ' and older' : ''}`;
}
