/** Calls that matter: imports by name, reads of settings, entry points. */
import type { SyntaxNode } from '@lezer/common';
import type { Import, Place } from './imports';
import { constant } from './literals';
import type { ModuleFacts } from './facts';
import { prefixOf } from './prefix';

const IMPORTERS = new Set(['importlib.import_module', 'import_module', '__import__', 'importlib.__import__']);
const SETTING_READERS = new Set([
  'os.getenv',
  'getenv',
  'os.environ.get',
  'environ.get',
  'os.environ.pop',
  'environ.pop',
]);
const ENVIRONMENTS = new Set(['os.environ', 'environ']);

/** Collects facts from the calls of one module. */
export class CallReader {
  readonly imports: (Import & Place)[] = [];
  readonly unseen: (Place & { what: string })[] = [];
  readonly settings: (Place & { name: string; hasDefault: boolean })[] = [];
  readonly entryPoints: string[] = [];
  readonly prefixes: (Place & { level: number; module: string })[] = [];
  readonly #source: string;
  readonly #lineAt: (offset: number) => number;
  /** Whether `environ` alone is that of the process, and not of a request (PEP 3333). */
  readonly #hasEnviron: boolean;

  constructor(source: string, lineAt: (offset: number) => number) {
    this.#source = source;
    this.#hasEnviron = /^[ \t]*from\s+os\s+import\s[^#\n]*(?:\([^)]*)?\benviron\b/m.test(source);
    this.#lineAt = lineAt;
  }

  call(node: SyntaxNode): void {
    const callee = node.firstChild;
    const list = node.getChild('ArgList');
    if (callee === null || list === null) return;
    const name = this.#text(callee).replace(/\s+/g, '');
    if (!/import|environ|getenv|entry_points|iter_modules|walk_packages/.test(name)) return;
    const { positional, named } = this.#arguments(list);
    if (IMPORTERS.has(name)) this.#import(node, name, positional, named);
    else if (/^(?:pkgutil\.)?(?:iter_modules|walk_packages)$/.test(name))
      this.unseen.push({ line: this.#lineAt(node.from), what: `${name}(…)` });
    else if (SETTING_READERS.has(name) && (this.#hasEnviron || !name.startsWith('environ')))
      this.#setting(node, positional);
    else if (/(?:^|\.)(?:iter_)?entry_points$/.test(name)) this.#entryPoints(positional, named);
  }

  /** `os.environ["NAME"]`, where it is read and not set. */
  subscript(node: SyntaxNode): void {
    const object = node.firstChild;
    if (object === null || !ENVIRONMENTS.has(this.#text(object))) return;
    if (this.#text(object) === 'environ' && !this.#hasEnviron) return;
    const key = node.getChild('String');
    const isSubscript = key !== null && this.#source[object.to] === '[';
    if (!isSubscript || node.parent?.name === 'DeleteStatement') return;
    const isTarget = node.parent?.name === 'AssignStatement' && node.nextSibling?.name === 'AssignOp';
    const name = constant(this.#text(key));
    if (!isTarget && name !== undefined) this.settings.push({ name, hasDefault: false, line: this.#lineAt(node.from) });
  }

  /** Takes over what was read from a part of the module on its own. */
  take(facts: Pick<ModuleFacts, 'unseen' | 'settings' | 'entryPoints' | 'prefixes'>, fromLine: number): void {
    const moved = <T extends Place>(one: T): T => ({ ...one, line: fromLine + one.line - 1 });
    this.unseen.push(...facts.unseen.map(moved));
    this.settings.push(...facts.settings.map(moved));
    this.entryPoints.push(...facts.entryPoints);
    this.prefixes.push(...facts.prefixes.map(moved));
  }

  #import(
    node: SyntaxNode,
    callee: string,
    positional: readonly SyntaxNode[],
    named: ReadonlyMap<string, SyntaxNode>,
  ): void {
    const line = this.#lineAt(node.from);
    const [first, second] = positional;
    const written = first === undefined ? '' : this.#text(first);
    const anchor = second ?? named.get('package');
    const isOwn = anchor !== undefined && /^__(?:name|package)__$/.test(this.#text(anchor));
    const target = constant(written);
    const prefix = target === undefined ? prefixOf(written, isOwn) : undefined;
    const whole = target === undefined ? undefined : moduleNamed(target, isOwn);
    if (prefix !== undefined) this.prefixes.push({ ...prefix, line });
    else if (whole !== undefined) this.imports.push({ ...whole, line });
    else this.unseen.push({ line, what: `${callee}(${written.slice(0, 40)})` });
  }

  #setting(node: SyntaxNode, positional: readonly SyntaxNode[]): void {
    const [first, second] = positional;
    const name = first === undefined ? undefined : constant(this.#text(first));
    if (name !== undefined)
      this.settings.push({ name, hasDefault: second !== undefined, line: this.#lineAt(node.from) });
  }

  #entryPoints(positional: readonly SyntaxNode[], named: ReadonlyMap<string, SyntaxNode>): void {
    const group = named.get('group') ?? positional[0];
    const name = group === undefined ? undefined : constant(this.#text(group));
    if (name !== undefined) this.entryPoints.push(name);
  }

  #arguments(list: SyntaxNode): { positional: SyntaxNode[]; named: Map<string, SyntaxNode> } {
    const positional: SyntaxNode[] = [];
    const named = new Map<string, SyntaxNode>();
    for (let child = list.firstChild; child !== null; child = child.nextSibling) {
      if (/^[(),]$/.test(child.name) || child.name === 'AssignOp' || child.name === 'Comment') continue;
      const before = child.prevSibling;
      if (before?.name === 'AssignOp' && before.prevSibling !== null) named.set(this.#text(before.prevSibling), child);
      else if (child.nextSibling?.name !== 'AssignOp') positional.push(child);
    }
    return { positional, named };
  }

  #text(node: SyntaxNode): string {
    return this.#source.slice(node.from, node.to);
  }
}

/** A name of a module; undefined for one that is relative to a place nobody sees, and for what is none. */
function moduleNamed(target: string, isOwn: boolean): { level: number; module: string } | undefined {
  const [, dots = '', module = ''] = /^(\.*)([\w.]*)$/.exec(target) ?? [];
  return (dots !== '' && !isOwn) || (dots === '' && module === '') ? undefined : { level: dots.length, module };
}
