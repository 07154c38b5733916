/** What of a module a host could call, by its text. */
import { baseOf } from '../../../base/paths';
import { byPoints, cutAtCommas, ENOUGH, inParentheses, rank, stemOf, type EntryCandidate } from '../../surveying';
import { interfaceOf, webShape } from '../view/web-application';

const FUNCTION = /^(?:async[ \t]+)?def[ \t]+([A-Za-z_]\w*)[ \t]*\(/gm;
/** A name at the top that stands for something that was made or imported. */
const VALUE =
  /^(app|application|api|asgi|wsgi|server|web|site|[a-z]\w*_app)[ \t]*(?::[^=\n]+)?=[ \t]*([\w.]+)[ \t]*\(/gm;

export interface FoundEntry extends Omit<EntryCandidate, 'entry'> {
  readonly member: string;
  /** It cannot be given both an event and a context. */
  readonly isShort?: true;
}

/** The likeliest first. */
export function entriesOf(text: string, path: string, folder: string): FoundEntry[] {
  const found: FoundEntry[] = [];
  for (const match of text.matchAll(FUNCTION)) {
    const member = match[1] ?? '';
    if (member.startsWith('_') || isRegistered(text, match.index)) continue;
    const list = inParentheses(text, match.index + match[0].length - 1);
    if (list === undefined) continue;
    const { given, all } = parametersOf(list);
    const adapter = webShape(all, match[0].startsWith('async'));
    if (adapter !== undefined) found.push({ member, points: ENOUGH + 3, why: 'a web application', adapter });
    else {
      const ranked = rank({ member, parameters: given, stem: stemOf(path), folder: baseOf(folder) });
      const isShort = all.length < 2 && !/(?:^|,)\s*\*\w/.test(list);
      if (ranked.points > 0 && given.length <= 2) found.push({ member, ...ranked, ...(isShort && { isShort: true }) });
    }
  }
  return byPoints([...found, ...applications(text)]);
}

/** Decorated by something of an object, it is given to that: `@app.route('/')`. */
function isRegistered(text: string, at: number): boolean {
  let end = at;
  for (;;) {
    const start = text.lastIndexOf('\n', end - 2) + 1;
    const line = text.slice(start, end).trim();
    if (/^@\w+\.\w+|^@(?:\w+\.)*(?:fixture|task|command|route|shared_task)\b/.test(line)) return true;
    if (start === 0 || !/^[@)\]]|^\w+=|,$/.test(line)) return false;
    end = start;
  }
}

/** Names of parameters: those that have to be given by position, and all. */
function parametersOf(list: string): { readonly given: string[]; readonly all: string[] } {
  const parts = cutAtCommas(list.replace(/#.*$/gm, ''));
  const star = parts.findIndex((part) => part.startsWith('*') && !part.startsWith('**'));
  const positional = (star < 0 ? parts : parts.slice(0, star)).filter((part) => part !== '/' && !part.startsWith('**'));
  const name = (part: string): string => part.split(/[:=\s]/, 1)[0] ?? '';
  const isContext = (part: string): boolean => /^_*(?:context|ctx)\b/.test(part);
  const given = positional.filter((part) => !part.includes('=') || isContext(part)).map(name);
  return { given, all: positional.map(name) };
}

function applications(text: string): FoundEntry[] {
  return [...text.matchAll(VALUE)].flatMap(([, member = '', made = '']): FoundEntry[] => {
    const adapter = interfaceOf(text, member, made);
    return adapter === undefined
      ? []
      : [{ member, points: ENOUGH + 2, why: `a web application, made by \`${made}\``, adapter }];
  });
}
