/** What of a module a host could call. */
import { baseOf } from '../../../base/paths';
import { byPoints, ENOUGH, rank, stemOf, type EntryCandidate, type SurveyedTree } from '../../surveying';
import type { Modules } from './modules';

/** Worth parsing: it exports something, and has a word of those that functions have, or a path of a web application. */
const MAYBE =
  /\w*event\b|\b(?:evt|ev|context|ctx|message|msg|payload|record|request|req|input|body|job|task|command|handler|handle|app|server|main)\b|\(\s*['"`]\/|\/\^\\\//i;
const EXPORTS = /\bexports?\b/;
const IS_REQUEST = /^_?req(?:uest)?$/i;
const IS_RESPONSE = /^_?(?:res(?:ponse)?|reply)$/i;

export interface FoundEntry extends Omit<EntryCandidate, 'entry'> {
  readonly member: string;
}

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
    const [first = '', second = '', ...rest] = parameters;
    if (IS_REQUEST.test(first) && IS_RESPONSE.test(second) && rest.length === 0)
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

/** Whether something is done with paths on a value: `app.get('/gauges', …)`, or in the chain that makes it. */
function hasRoutes(text: string, member: string): boolean {
  const path = '\\(\\s*(?:[\'"`]/|/\\^\\\\/)';
  const name =
    member === 'default' ? /(?:export\s+default|module\.exports\s*=)\s*(?!new\b)(\w+)/.exec(text)?.[1] : member;
  if (name === undefined) return false;
  if (new RegExp(`\\b${name.replaceAll('$', '\\$')}\\s*\\.\\s*\\w+${path}`).test(text)) return true;
  const made = new RegExp(`\\b${name.replaceAll('$', '\\$')}\\s*=\\s*(?:new\\s+)?[\\w.]+\\s*\\(`).exec(text);
  const rest = made === null ? '' : text.slice(made.index, made.index + 400);
  return new RegExp(`\\)\\s*\\.\\s*\\w+${path}`).test(rest);
}
