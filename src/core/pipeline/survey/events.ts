/** Events that lie beside a function. */
import { baseOf, folderOf, joinPath } from '../../base/paths';
import type { SurveyedFunction, SurveyedTree } from '../../languages';

export interface FoundEvents {
  /** As the sheet has it. */
  readonly pattern: string;
  readonly count: number;
  /** The folder that holds nothing else. */
  readonly folder?: string;
}

/** The first place with events among those where people put them. */
export function eventsOf(tree: SurveyedTree, { name, source, file }: SurveyedFunction): FoundEvents | undefined {
  const own = [baseOf(source), name, baseOf(folderOf(file)), baseOf(file).replace(/\.[^.]*$/, '')].filter(
    (one) => one !== '',
  );
  const named = [...new Set(own)].flatMap((one) => [
    `events/${one}`,
    `test/events/${one}`,
    `tests/events/${one}`,
    `examples/${one}`,
  ]);
  const below = ['events', 'event', 'samples', 'test/events', 'tests/events', 'testdata'].map((one) =>
    joinPath(source, one),
  );
  for (const folder of [...named, ...below]) {
    const found = jsonIn(tree, folder, /\.json$/);
    if (found.length > 0) return { pattern: `${folder}/*.json`, count: found.length, folder };
  }
  for (const folder of [source, folderOf(file)]) {
    const found = jsonIn(tree, folder, /^(?:sample[-_.]?)?events?(?:[-_.].*)?\.json$/);
    const [first] = found;
    if (first !== undefined && found.length === 1) return { pattern: first, count: 1 };
    if (first !== undefined) return { pattern: joinPath(folder, 'event*.json'), count: found.length };
  }
  return undefined;
}

function jsonIn(tree: SurveyedTree, folder: string, pattern: RegExp): string[] {
  return (tree.folders.get(folder) ?? [])
    .filter((name) => pattern.test(name))
    .map((name) => joinPath(folder, name))
    .filter((path) => isJson(tree.text(path)));
}

function isJson(text: string | undefined): boolean {
  try {
    return text !== undefined && typeof JSON.parse(text) === 'object';
  } catch {
    return false;
  }
}
