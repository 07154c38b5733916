/**
 * What one Python module says when it is read: what it imports, what it defines, which settings it reads, how new its
 * syntax is. Nothing is ever run. Facts are plain data, so that they can be kept by the digest of the file.
 */
import type { SyntaxNode, Tree } from '@lezer/common';
import { parser } from '@lezer/python';
import { CallReader } from './calls';
import { constant } from './literals';
import { readDefinitions } from './definitions';
import type { Guard, ModuleFacts, PlacedImport } from './facts';
import { readImport } from './imports';

/** Code beyond this is generated tables; their imports are at the top if anywhere, and nobody waits for the rest. */
const MAX_CODE = 8 * 1024 * 1024;

/** Nodes of syntax that came after Python 3.7, with the version that brought it. */
const NEW_SYNTAX: Readonly<Record<string, readonly [since: string, what: string]>> = {
  NamedExpression: ['3.8', 'an assignment expression (`:=`)'],
  MatchStatement: ['3.10', 'a `match` statement'],
  TypeDefinition: ['3.12', 'a `type` statement'],
  TypeParamList: ['3.12', 'type parameters'],
};

/** What a module says; of code that cannot be parsed as far as it can be. */
export function readModuleFacts(code: string): ModuleFacts {
  const source = code.length > MAX_CODE ? code.slice(0, MAX_CODE) : code;
  const lines = new Lines(source);
  const tree: Tree = parser.parse(source);
  const imports: PlacedImport[] = [];
  const syntax = new Map<string, { since: string; what: string; line: number }>();
  const texts = new Set<string>();
  const calls = new CallReader(source, (at) => lines.at(at));
  tree.iterate({
    enter(ref) {
      const { name } = ref.type;
      const added = name === 'try' ? undefined : NEW_SYNTAX[name];
      if (added !== undefined && !syntax.has(added[1]))
        syntax.set(added[1], { since: added[0], what: added[1], line: lines.at(ref.from) });
      if (name === 'TryStatement' || name === 'String')
        for (const one of newerIn(ref.node, source))
          if (!syntax.has(one.what)) syntax.set(one.what, { since: one.since, what: one.what, line: lines.at(one.at) });
      if (name === 'IfStatement') return enterIf(ref.node, source, { calls, imports, lines, texts });
      if (name === 'ImportStatement') {
        for (const one of readImport(source.slice(ref.from, ref.to)))
          imports.push({ ...one, guard: guardOf(ref.node), line: lines.at(ref.from) });
        return false;
      }
      if (name === 'String') noteText(source.slice(ref.from, Math.min(ref.to, ref.from + MAX_TEXT)), texts);
      else if (name === 'CallExpression') calls.call(ref.node);
      else if (name === 'MemberExpression') calls.subscript(ref.node);
      return true;
    },
  });
  const { members, all } = readDefinitions(tree.topNode, source);
  return {
    imports: [...imports, ...calls.imports.map((one) => ({ ...one, guard: 'condition' as const }))],
    unseen: calls.unseen,
    ...(all !== undefined && { all }),
    members,
    settings: calls.settings,
    prefixes: calls.prefixes,
    texts: [...texts],
    movesPath: MOVES_PATH.test(source),
    makesModules: MAKES_MODULES.test(source),
    entryPoints: calls.entryPoints,
    syntax: [...syntax.values()],
  };
}

/**
 * What only type checkers look at is passed over: the branch of `if TYPE_CHECKING`. The other branches are read as
 * usual. Gives whether the children are still to be visited.
 */
function enterIf(
  node: SyntaxNode,
  source: string,
  { calls, imports, lines, texts }: { calls: CallReader; imports: PlacedImport[]; lines: Lines; texts: Set<string> },
): boolean {
  let condition: SyntaxNode | null = null;
  let hidesAny = false;
  const branches: { body: SyntaxNode; isHidden: boolean }[] = [];
  for (let child = node.firstChild; child !== null; child = child.nextSibling) {
    if (child.name === 'if' || child.name === 'elif') condition = child.nextSibling;
    else if (child.name === 'else') condition = null;
    else if (child.name === 'Body') {
      const text = condition === null ? '' : source.slice(condition.from, condition.to);
      const isHidden = /^(?:\w+\.)?TYPE_CHECKING$/.test(text);
      hidesAny ||= isHidden;
      branches.push({ body: child, isHidden });
    }
  }
  if (!hidesAny) return true;
  for (const { body, isHidden } of branches) {
    if (isHidden) continue;
    const inner = readModuleFacts(dedent(source.slice(body.from + 1, body.to)));
    const line = lines.at(body.from);
    imports.push(...inner.imports.map((one) => ({ ...one, guard: 'condition' as const, line: line + one.line - 1 })));
    calls.take(inner, line);
    for (const text of inner.texts) texts.add(text);
  }
  return false;
}

const MAX_TEXT = 120;
/** Code that changes `sys.path` or has an importer of its own finds modules elsewhere. */
const MOVES_PATH = /\bsys\.path(?:\.(?:append|insert|extend)\(|\s*\+?=)|\bsys\.meta_path\b|\bsys\.path\[/;
/** Code that finds or makes modules by itself: an importer of its own, or modules put where Python keeps those it has loaded. */
const MAKES_MODULES = /\bsys\.meta_path\b|\bsys\.modules\[(?!__name__\])[^\]\n]+\]\s*=(?!=)/;

/** `levels.almanac`, `levels.almanac:Almanac`, `levels-plugins`. */
function noteText(literal: string, texts: Set<string>): void {
  const text = constant(literal);
  if (text !== undefined && /^[A-Za-z_][\w-]*(?:\.[\w-]+)*(?::[\w.]+)?$/.test(text)) texts.add(text);
}

function guardOf(node: SyntaxNode): Guard {
  let guard: Guard = 'none';
  for (let above = node.parent; above !== null; above = above.parent) {
    if (above.name === 'TryStatement') return 'try';
    if (above.name === 'FunctionDefinition' || above.name === 'LambdaExpression') guard = 'function';
    else if (guard === 'none' && /^(?:If|While|For|Match|With)Statement$/.test(above.name)) guard = 'condition';
  }
  return guard;
}

/** A body as a module of its own: its own indentation taken off. */
function dedent(text: string): string {
  const indent = /\n([ \t]+)\S/.exec(text)?.[1] ?? '';
  return text.replaceAll(`\n${indent}`, '\n').trimStart();
}

function isExceptGroup(node: SyntaxNode, source: string): boolean {
  for (let child = node.firstChild; child !== null; child = child.nextSibling)
    if (child.name === 'except' && /^\s*\*/.test(source.slice(child.to, child.to + 8))) return true;
  return false;
}

interface Newer {
  readonly since: string;
  readonly what: string;
  readonly at: number;
}

/** Syntax that came later and that has no node of its own. */
function* newerIn(node: SyntaxNode, source: string): Generator<Newer> {
  if (node.name === 'String') {
    if (isTemplate(source, node.from)) yield { since: '3.14', what: 'a template string (`t"…"`)', at: node.from };
    return;
  }
  if (isExceptGroup(node, source)) yield { since: '3.11', what: '`except*`', at: node.from };
  const bare = bareExceptions(node);
  if (bare !== undefined) yield { since: '3.14', what: '`except` for several without parentheses', at: bare };
}

/** Where several exceptions are caught without parentheses (PEP 758). */
function bareExceptions(node: SyntaxNode): number | undefined {
  for (let child = node.firstChild; child !== null; child = child.nextSibling) {
    if (child.name !== 'except') continue;
    for (let next = child.nextSibling; next !== null && next.name !== 'Body'; next = next.nextSibling)
      if (next.name === ',') return child.from;
  }
  return undefined;
}

/** Whether a string has the prefix of a template (PEP 750), which the parser takes for a name before it. */
function isTemplate(source: string, at: number): boolean {
  return /(?:^|[^\w.])(?:t|tr|rt)$/i.test(source.slice(Math.max(0, at - 3), at));
}

/** Line numbers of offsets. */
class Lines {
  readonly #starts: number[] = [0];

  constructor(text: string) {
    for (let at = text.indexOf('\n'); at >= 0; at = text.indexOf('\n', at + 1)) this.#starts.push(at + 1);
  }

  at(offset: number): number {
    let [low, high] = [0, this.#starts.length - 1];
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if ((this.#starts[middle] ?? 0) <= offset) low = middle;
      else high = middle - 1;
    }
    return low + 1;
  }
}
