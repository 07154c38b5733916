/** Web applications as Python writes them: by the package that makes them, the way their pages are written, or what they take. */

/** The interface of an application (PEP 3333, ASGI 3.0), and what says so. */
export interface WebInterface {
  readonly value: 'wsgi' | 'asgi';
  readonly why: string;
  /** It may be something else. */
  readonly isGuess?: true;
}

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

/** A function that is called as the interfaces say. */
export function webShape(
  [first = '', second = '', third = '', ...rest]: readonly string[],
  isAsync: boolean,
): WebInterface | undefined {
  if (rest.length > 0) return undefined;
  if (first === 'environ' && /^start_?response$/.test(second) && third === '')
    return { value: 'wsgi', why: 'takes `environ` and `start_response`' };
  if (isAsync && first === 'scope' && second === 'receive' && third === 'send')
    return { value: 'asgi', why: 'takes `scope`, `receive` and `send`' };
  return undefined;
}

/** By the package that makes it; else by how its pages are written. */
export function interfaceOf(text: string, member: string, made: string): WebInterface | undefined {
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
    ? { value: 'wsgi', why: 'its pages are plain functions', isGuess: true }
    : { value: 'asgi', why: 'its pages are asynchronous', isGuess: true };
}

/** The interface that a value at the top of a module has, where something makes it that is known; by its text. */
export function applicationNamed(text: string, member: string): WebInterface | undefined {
  const made = new RegExp(`^${member}[ \\t]*(?::[^=\\n]+)?=[ \\t]*([\\w.]+)[ \\t]*\\(`, 'm').exec(text)?.[1];
  return made === undefined ? undefined : interfaceOf(text, member, made);
}
