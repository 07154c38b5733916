/** Web applications as JavaScript writes them: by what a function takes, or by what is done with a value. */

const IS_REQUEST = /^_?req(?:uest)?$/i;
const IS_RESPONSE = /^_?(?:res(?:ponse)?|reply)$/i;

/** Packages whose applications answer requests. */
const MAKERS = '(?:express|koa|fastify|hono|polka|restify|connect|@hapi/hapi)';

/** Whether a value is made by a package of web applications: `const app = express()`, `new Koa()`. */
export function isMadeByWebPackage(text: string, member: string): boolean {
  const name = valueOf(text, member);
  if (name === undefined) return false;
  if (new RegExp(`\\b${name}\\s*=\\s*require\\(\\s*['"]${MAKERS}['"]\\s*\\)\\s*\\(`).test(text)) return true;
  const maker = new RegExp(`\\b${name}\\s*=\\s*(?:new\\s+)?(\\w+)[\\w.]*\\s*\\(`).exec(text)?.[1];
  if (maker === undefined) return false;
  const imported = `(?:import\\b[^;'"]*\\b${maker}\\b[^;'"]*\\bfrom\\s*|\\b${maker}\\b[^;'"=]*=\\s*require\\(\\s*)['"]${MAKERS}['"]`;
  return new RegExp(imported).test(text);
}

/** Whether a function takes what the server of the runtime gives: a request and a response. */
export function answersRequests([first = '', second = '', ...rest]: readonly string[]): boolean {
  return IS_REQUEST.test(first) && IS_RESPONSE.test(second) && rest.length === 0;
}

/** Whether something is done with paths on a value: `app.get('/gauges', …)`, or in the chain that makes it. */
export function hasRoutes(text: string, member: string): boolean {
  const path = '\\(\\s*(?:[\'"`]/|/\\^\\\\/)';
  const name = valueOf(text, member);
  if (name === undefined) return false;
  if (new RegExp(`\\b${name}\\s*\\.\\s*\\w+${path}`).test(text)) return true;
  const made = new RegExp(`\\b${name}\\s*=\\s*(?:new\\s+)?[\\w.]+\\s*\\(`).exec(text);
  const rest = made === null ? '' : text.slice(made.index, made.index + 400);
  return new RegExp(`\\)\\s*\\.\\s*\\w+${path}`).test(rest);
}

/** The name, fit for a pattern, under which a module has what it exports. */
function valueOf(text: string, member: string): string | undefined {
  const name =
    member === 'default' ? /(?:export\s+default|module\.exports\s*=)\s*(?!new\b)(\w+)/.exec(text)?.[1] : member;
  return name?.replaceAll('$', '\\$');
}
