/** Where a repository states what Python functions need, and which Python they are for. */
import { parse } from 'smol-toml';
import { messageOf } from '../../../base/errors';
import { baseOf, upwards } from '../../../base/paths';
import { allOf, firstIn, type SurveyedFunction, type SurveyedTree, type SurveyRequest } from '../../surveying';
import { interpretersOf } from '../run/interpreters';
import { fitsAll, parseSpecifiers } from '../versions/specifier';
import { parseVersion } from '../versions/version';

/** Those that are found without being named in the sheet. */
const FOUND = ['pylock.toml', 'requirements.txt', 'pyproject.toml'];
const OTHERS = [
  'requirements/production.txt',
  'requirements/prod.txt',
  'requirements/base.txt',
  'requirements/main.txt',
  'requirements.in',
];

type StatedNeeds = NonNullable<SurveyedFunction['needs']>;

/** What a source folder needs, by the nearest file that says so; undefined where none does. */
export function needsOf(request: SurveyRequest, source: string): StatedNeeds | undefined {
  const { tree } = request;
  for (const folder of upwards(source)) {
    const found = firstIn(tree, folder, FOUND);
    if (found !== undefined && states(request, found))
      return folder === source
        ? { why: `${found} is found by itself` }
        : { value: found, why: 'the nearest file that states requirements' };
    const other = firstIn(tree, folder, OTHERS);
    if (other !== undefined) return { value: other, why: 'the nearest file that states requirements' };
    const listed = translated(request, folder);
    if (listed !== undefined) return listed;
  }
  return undefined;
}

/** Whether a file states requirements in a form that the sheet can name. */
function states(request: SurveyRequest, path: string): boolean {
  return baseOf(path) !== 'pyproject.toml' || asTable(tomlOf(request, path)?.project).name !== undefined;
}

/** Requirements in forms of other tools, in the standard's words (PEP 508). */
function translated(request: SurveyRequest, folder: string): StatedNeeds | undefined {
  const pyproject = firstIn(request.tree, folder, ['pyproject.toml']);
  const tool = asTable(asTable(tomlOf(request, pyproject)?.tool).poetry).dependencies;
  if (pyproject !== undefined && tool !== undefined)
    return { value: fromTable(asTable(tool)), why: `as ${pyproject} has them, under [tool.poetry.dependencies]` };
  const pipfile = firstIn(request.tree, folder, ['Pipfile']);
  const packages = tomlOf(request, pipfile)?.packages;
  if (pipfile !== undefined && packages !== undefined)
    return { value: fromTable(asTable(packages)), why: `as ${pipfile} has them` };
  const cfg = firstIn(request.tree, folder, ['setup.cfg']);
  const [, block] = /^install_requires\s*=\s*\n?((?:.*\n?)(?:[ \t]+.*\n?)*)/m.exec(textOf(request.tree, cfg)) ?? [];
  if (cfg === undefined || block === undefined) return undefined;
  const value = block
    .split('\n')
    .map((line) => line.trim())
    .filter((line) => line !== '' && !line.startsWith('#'));
  return { value, why: `as ${cfg} has them` };
}

function fromTable(table: Readonly<Record<string, unknown>>): string[] {
  return Object.entries(table).flatMap(([name, stated]) => {
    if (name === 'python') return [];
    const record = asTable(stated);
    const version = typeof stated === 'string' ? stated : typeof record.version === 'string' ? record.version : '*';
    const extras =
      Array.isArray(record.extras) && record.extras.length > 0 ? `[${record.extras.map(String).join(',')}]` : '';
    return record.optional === true ? [] : [`${name}${extras}${specifierOf(version)}`];
  });
}

/** `^1.2.3` is `>=1.2.3,<2`, `~1.2` is `>=1.2,<1.3`, `*` is anything, `1.2` is `==1.2`. */
function specifierOf(text: string): string {
  return text
    .split(',')
    .map((part) => {
      const [, sign = '', version = ''] = /^\s*([~^]?)\s*(.*?)\s*$/.exec(part) ?? [];
      if (version === '*' || version === '') return '';
      const numbers = allOf(version, /(\d+)/g).map(Number);
      if (sign === '') return /^\d/.test(version) ? `==${version}` : version.replace(/\s+/g, '');
      const first = numbers.findIndex((n) => n > 0);
      const at = sign === '~' ? Math.min(1, numbers.length - 1) : first < 0 ? numbers.length - 1 : first;
      const upper = numbers.slice(0, at + 1).map((n, i) => (i === at ? n + 1 : n));
      return `>=${version},<${upper.join('.')}`;
    })
    .filter((part) => part !== '')
    .join(',');
}

/** The version by what is stated nearest to a folder; else the lowest that the syntax asks for, or what is here. */
export async function versionFor(
  request: SurveyRequest,
  source: string,
  syntax: { readonly since: string; readonly what: string } | undefined,
): Promise<SurveyedFunction['runtime']> {
  const [here] = await interpretersOf(request.machine);
  const own = here?.minor ?? '3.11';
  for (const folder of upwards(source)) {
    const file = firstIn(request.tree, folder, ['.python-version', 'runtime.txt']);
    const [, pinned] = /(\d+\.\d+)/.exec(textOf(request.tree, file)) ?? [];
    if (file !== undefined && pinned !== undefined)
      return { value: `python ${pinned}`, why: `${file} says so`, fits: (version) => version === pinned };
    const range = rangeIn(request, folder);
    if (range === undefined) continue;
    const fits = (version: string): boolean => inRange(range.text, version);
    const value = fits(own) ? own : lowestIn(range.text);
    return { value: `python ${value ?? own}`, why: `${range.file} asks for ${range.text}`, fits };
  }
  const fits = (version: string): boolean => syntax === undefined || minorOf(version) >= minorOf(syntax.since);
  if (!fits(own) && syntax !== undefined)
    return { value: `python ${syntax.since}`, why: `it has ${syntax.what}`, fits };
  return { value: `python ${own}`, why: 'stated nowhere; what this machine has', fits };
}

function rangeIn(request: SurveyRequest, folder: string): { readonly file: string; readonly text: string } | undefined {
  const file = firstIn(request.tree, folder, ['pyproject.toml']);
  const toml = tomlOf(request, file);
  const poetry = asTable(asTable(asTable(toml?.tool).poetry).dependencies).python;
  const stated =
    asTable(toml?.project)['requires-python'] ?? (typeof poetry === 'string' ? specifierOf(poetry) : undefined);
  if (file !== undefined && typeof stated === 'string' && stated !== '') return { file, text: stated };
  const cfg = firstIn(request.tree, folder, ['setup.cfg']);
  const [, text] = /^python_requires\s*=\s*(.+)$/m.exec(textOf(request.tree, cfg)) ?? [];
  return cfg === undefined || text === undefined ? undefined : { file: cfg, text: text.trim() };
}

function inRange(range: string, minor: string): boolean {
  const { specifiers, bad } = parseSpecifiers(range);
  // An unknown patch level is taken as late as there may be one.
  const version = parseVersion(`${minor}.99`);
  return bad !== undefined || version === undefined || fitsAll(specifiers, version);
}

function lowestIn(range: string): string | undefined {
  return Array.from({ length: 40 }, (_, minor) => `3.${String(minor)}`).find((minor) => inRange(range, minor));
}

function minorOf(version: string): number {
  return Number(version.split('.')[1] ?? 0);
}

const result = new WeakMap<SurveyRequest, Set<string>>();

function tomlOf(request: SurveyRequest, path: string | undefined): Record<string, unknown> | undefined {
  if (path === undefined) return undefined;
  try {
    return parse(textOf(request.tree, path));
  } catch (error) {
    const known = result.get(request) ?? new Set<string>();
    result.set(request, known);
    const [text = ''] = messageOf(error).split('\n');
    if (!known.has(path)) request.onNote({ where: path, text: `passed over: ${text}` });
    known.add(path);
    return undefined;
  }
}

function textOf(tree: SurveyedTree, path: string | undefined): string {
  return path === undefined ? '' : (tree.text(path) ?? '');
}

function asTable(value: unknown): Readonly<Record<string, unknown>> {
  return typeof value === 'object' && value !== null && !Array.isArray(value) ? (value as Record<string, unknown>) : {};
}
