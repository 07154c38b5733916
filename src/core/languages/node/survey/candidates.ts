/** What of a module a host could call. */
import { baseOf } from '../../../base/paths';
import { byPoints, ENOUGH, rank, stemOf, type EntryCandidate, type SurveyedTree } from '../../surveying';
import { answersRequests, hasRoutes } from '../view/web-application';
import type { Modules } from './modules';

/** Worth parsing: it exports something, and has a word of those that functions have, or a path of a web application. */
const MAYBE =
  /\w*event\b|\b(?:evt|ev|context|ctx|message|msg|payload|record|request|req|input|body|job|task|command|handler|handle|app|server|main)\b|\(\s*['"`]\/|\/\^\\\//i;
const EXPORTS = /\bexports?\b/;

export interface FoundEntry extends Omit<EntryCandidate, 'entry'> {
  readonly member: string;
}

/** Whether a text is worth parsing for entries: whether it exports anything. */
export function mayHaveEntries(text: string): boolean {
  return EXPORTS.test(text) && MAYBE.test(text);
}

/** The likeliest first. @param stated words for a manifest that names the file */
export function entriesOf(
  { modules, tree }: { readonly modules: Modules; readonly tree: SurveyedTree },
  path: string,
  folder: string,
  stated: string | undefined,
): FoundEntry[] {
  const text = tree.text(path) ?? '';
  const found = [...(modules.exports(path) ?? [])].flatMap(([member, exported]): FoundEntry[] => {
    const words = { member, stem: stemOf(path), folder: baseOf(folder), ...(stated !== undefined && { stated }) };
    if (exported.callable === 'no') return [];
    const { parameters = [] } = exported;
    const [first = '', second = ''] = parameters;
    if (answersRequests(parameters))
      return [
        {
          member,
          points: ENOUGH + 1,
          why: 'answers requests',
          adapter: ADAPTER(`takes \`${first}\` and \`${second}\``),
        },
      ];
    if (exported.callable === 'unknown' && exported.from === undefined && hasRoutes(text, member))
      return [
        { member, points: ENOUGH + 1, why: 'a web application', adapter: ADAPTER('it has pages by their paths') },
      ];
    const ranked = rank({ ...words, parameters });
    return ranked.points > 0 && exported.callable === 'yes' ? [{ member, ...ranked }] : [];
  });
  return byPoints(found);
}

const ADAPTER = (why: string): { value: string; why: string } => ({ value: 'http', why });
