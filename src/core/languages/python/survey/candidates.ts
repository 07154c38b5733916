/** What of a module a host could call, by its text. */
import { baseOf } from '../../../base/paths';
import { byPoints, cutAtCommas, ENOUGH, inParentheses, rank, stemOf, type EntryCandidate } from '../../surveying';

const FUNCTION = /^(?:async[ \t]+)?def[ \t]+([A-Za-z_]\w*)[ \t]*\(/gm;
/** A name at the top that stands for something that was made or imported. */
const VALUE =
  /^(app|application|api|asgi|wsgi|server|web|site|[a-z]\w*_app)[ \t]*(?::[^=\n]+)?=[ \t]*([\w.]+)[ \t]*\(/gm;

/** Packages of web applications, by the interface that theirs have (PEP 3333, ASGI 3.0). */
const WSGI = [
  'flask',
  'bottle',
  'django',
  'pyramid',
  'falcon',
  'werkzeug',
  'webob',
  'cherrypy',
  'web2py',
  'dash',
  'hug',
];
const ASGI = ['fastapi', 'starlette', 'quart', 'litestar', 'falcon.asgi', 'blacksheep', 'connexion'];

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

function webShape(
  [first = '', second = '', third = '', ...rest]: readonly string[],
  isAsync: boolean,
): FoundEntry['adapter'] {
  if (rest.length > 0) return undefined;
  if (first === 'environ' && /^start_?response$/.test(second) && third === '')
    return { value: 'wsgi', why: 'takes `environ` and `start_response`' };
  if (isAsync && first === 'scope' && second === 'receive' && third === 'send')
    return { value: 'asgi', why: 'takes `scope`, `receive` and `send`' };
  return undefined;
}

function applications(text: string): FoundEntry[] {
  return [...text.matchAll(VALUE)].flatMap(([, member = '', made = '']): FoundEntry[] => {
    const adapter = interfaceOf(text, member, made);
    return adapter === undefined
      ? []
      : [{ member, points: ENOUGH + 2, why: `a web application, made by \`${made}\``, adapter }];
  });
}

/** By the package that makes it; else by how its pages are written. */
function interfaceOf(text: string, member: string, made: string): FoundEntry['adapter'] {
  if (made.endsWith('get_asgi_application')) return { value: 'asgi', why: `\`${made}\` makes it` };
  if (/get_wsgi_application$|make_wsgi_app$/.test(made)) return { value: 'wsgi', why: `\`${made}\` makes it` };
  const top = made.split('.')[0] ?? '';
  const imported = new RegExp(
    `^(?:from[ \\t]+([\\w.]+)[ \\t]+import[ \\t][^\\n]*\\b${top}\\b|import[ \\t]+(${top})\\b)`,
    'm',
  ).exec(text);
  const from = imported?.[1] ?? imported?.[2] ?? '';
  const isOf = (names: readonly string[]): boolean =>
    names.some((name) => from === name || from.startsWith(`${name}.`));
  if (isOf(ASGI)) return { value: 'asgi', why: `it comes from ${from}` };
  if (isOf(WSGI)) return { value: 'wsgi', why: `it comes from ${from}` };
  const page = new RegExp(`^@${member}\\.\\w+\\(\\s*['"]/.*\\n(?:@.*\\n)*(async[ \\t]+)?def`, 'm').exec(text);
  if (page === null) return undefined;
  return page[1] === undefined
    ? { value: 'wsgi', why: 'its pages are plain functions' }
    : { value: 'asgi', why: 'its pages are asynchronous' };
}
