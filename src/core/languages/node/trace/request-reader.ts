/** Which modules and files a module asks for, wherever its code does so. */
import type { AnyNode, Pattern } from 'acorn';
import { settlePath } from '../../../base/paths';
import { calleeName, evaluate, nodeEnvTest, UNKNOWN, type Constant } from './constants';
import type { ModuleRequest } from './facts';
import { memberName, type Walker } from './walker';

type When = readonly (readonly [value: string, isEqual: boolean])[];
type Call = Extract<AnyNode, { type: 'CallExpression' }>;

const FILE_READS = new Set(
  'readFile readFileSync createReadStream open openSync readdir readdirSync existsSync stat statSync readJson readJsonSync'.split(
    ' ',
  ),
);
const MAX_SHOWN = 60;

interface Pending {
  /** Start of the `require` that must turn out to be Node's own. */
  readonly of: number;
  readonly request?: ModuleRequest;
  readonly unseen?: { readonly line: number; readonly what: string };
}

export class RequestReader {
  readonly values = new Map<string, AnyNode | null>();
  readonly unseen: { line: number; what: string }[] = [];
  readonly dynamicImports: number[] = [];
  readonly #code: string;
  readonly #format: 'esm' | 'cjs';
  readonly #lineAt: (at: number) => number;
  readonly #requests: ModuleRequest[] = [];
  readonly #pending: Pending[] = [];
  /** Starts of names `require` that are dealt with. */
  readonly #dealtWith = new Set<number>();
  readonly #mayHaveFiles: boolean;
  readonly #mayBranch: boolean;
  #when: When = [];
  /** Inside an expression that came to a path as a whole. */
  #insidePath = 0;

  constructor(code: string, format: 'esm' | 'cjs', lineAt: (at: number) => number) {
    this.#code = code;
    this.#format = format;
    this.#lineAt = lineAt;
    this.#mayHaveFiles = /__dirname|__filename|import\.meta/.test(code);
    this.#mayBranch = code.includes('NODE_ENV');
  }

  /** @returns whether the parts of the node have been visited */
  enter(node: AnyNode, walker: Walker): boolean {
    switch (node.type) {
      case 'IfStatement':
      case 'ConditionalExpression':
        return this.#mayBranch && this.#branch(node, walker);
      case 'LogicalExpression':
        return this.#mayBranch && this.#shortCircuit(node, walker);
      case 'CallExpression':
        this.#call(node, walker);
        return this.#path(node, walker);
      case 'NewExpression':
        if (calleeName(node.callee) === 'Worker') this.#plainFile(node.arguments[0], node, walker);
        return this.#path(node, walker);
      case 'TemplateLiteral':
      case 'BinaryExpression':
        return this.#path(node, walker);
      default:
        this.#remember(node, walker);
        return false;
    }
  }

  #remember(node: AnyNode, walker: Walker): void {
    switch (node.type) {
      case 'VariableDeclarator':
        this.#note(node);
        break;
      case 'FunctionDeclaration':
      case 'FunctionExpression':
      case 'ArrowFunctionExpression':
        this.#forget(node.params);
        break;
      case 'UnaryExpression':
        if (node.operator === 'typeof') this.#dealtWith.add(node.argument.start);
        break;
      case 'ImportExpression':
        this.#dynamicImport(node, walker);
        break;
      case 'MemberExpression':
        if (node.object.type === 'Identifier' && node.object.name === 'require') this.#dealtWith.add(node.object.start);
        break;
      default:
    }
  }

  /** What was asked for by way of `require`, once it is known which of these are Node's own. */
  finish({ top }: Walker): ModuleRequest[] {
    // ES modules have no `require` but one that they make.
    const isOwn = (top.names.has('require') || this.#format === 'esm') && !this.#isRequire('require');
    const free = new Set(
      top.references.flatMap(({ name, start }) =>
        (name === 'require' && !isOwn) || this.#isRequire(name) ? [start] : [],
      ),
    );
    for (const { of, request, unseen } of this.#pending) {
      if (of >= 0 && !free.has(of)) continue;
      if (request !== undefined) this.#requests.push(request);
      if (unseen !== undefined) this.unseen.push(unseen);
    }
    if (this.#format === 'cjs' && !isOwn)
      for (const { name, start } of top.references)
        if (name === 'require' && !this.#dealtWith.has(start))
          this.unseen.push({ line: this.#lineAt(start), what: '`require` handed on' });
    return this.#requests;
  }

  #note({ id, init }: Extract<AnyNode, { type: 'VariableDeclarator' }>): void {
    if (id.type !== 'Identifier') this.#forget([id]);
    else if (init !== null && init !== undefined) this.values.set(id.name, this.values.has(id.name) ? null : init);
  }

  /** A name that is also bound otherwise stands for nothing certain. */
  #forget(patterns: readonly Pattern[]): void {
    for (const pattern of patterns) if (pattern.type === 'Identifier') this.values.set(pattern.name, null);
  }

  #branch(
    { test, consequent, alternate }: Extract<AnyNode, { type: 'IfStatement' | 'ConditionalExpression' }>,
    walker: Walker,
  ): boolean {
    const tests = this.#testsIn(test);
    if (tests.length === 0) return false;
    walker.visit(test);
    this.#during(tests, () => walker.visit(consequent));
    const [only] = tests;
    const otherwise: When = tests.length === 1 && only !== undefined && isWhole(test) ? [[only[0], !only[1]]] : [];
    this.#during(otherwise, () => walker.visit(alternate));
    return true;
  }

  #shortCircuit({ left, right, operator }: Extract<AnyNode, { type: 'LogicalExpression' }>, walker: Walker): boolean {
    const tests = this.#testsIn(left);
    const [only] = tests;
    if (only === undefined || (operator === '||' && tests.length > 1) || operator === '??') return false;
    walker.visit(left);
    this.#during(operator === '&&' ? tests : [[only[0], !only[1]]], () => walker.visit(right));
    return true;
  }

  #testsIn(node: AnyNode): When {
    if (node.type === 'LogicalExpression' && node.operator === '&&')
      return [...this.#testsIn(node.left), ...this.#testsIn(node.right)];
    const test = nodeEnvTest(node, this.values);
    return test === undefined ? [] : [test];
  }

  #during(tests: When, work: () => void): void {
    const before = this.#when;
    this.#when = [...before, ...tests];
    work();
    this.#when = before;
  }

  #dynamicImport(node: Extract<AnyNode, { type: 'ImportExpression' }>, walker: Walker): void {
    this.dynamicImports.push(node.start);
    const found = evaluate(node.source, this.values);
    const request = this.#moduleRequest('dynamic', found, node.source, walker);
    if (request === undefined) this.unseen.push(this.#cannotSee(node));
    else this.#requests.push(request);
  }

  /** Calls of `require` and of what reads files. */
  #call(node: Call, walker: Walker): void {
    const { callee, arguments: args } = node;
    if (callee.type === 'Identifier' && this.#mayBeRequire(callee.name))
      this.#require('require', callee.start, node, walker);
    else if (callee.type !== 'MemberExpression') this.#handedOn(node, calleeName(callee));
    else if (!this.#callOf(callee, node, walker)) {
      const name = memberName(callee);
      if (FILE_READS.has(name ?? '')) this.#plainFile(args[0], node, walker);
      else this.#handedOn(node, name);
    }
  }

  /** `require.resolve`, `import.meta.resolve`, `module.require`. */
  #callOf(callee: Extract<AnyNode, { type: 'MemberExpression' }>, node: Call, walker: Walker): boolean {
    const [name, object] = [memberName(callee), callee.object];
    const owner = object.type === 'Identifier' ? object.name : '';
    if (name === 'resolve' && this.#mayBeRequire(owner)) this.#require('resolve', object.start, node, walker);
    else if (name === 'resolve' && object.type === 'MetaProperty') this.#require('resolve', -1, node, walker);
    else if (name === 'require' && owner === 'module') this.#require('require', -1, node, walker);
    else return false;
    return true;
  }

  #mayBeRequire(name: string): boolean {
    return name === 'require' || this.#isRequire(name);
  }

  #require(kind: 'require' | 'resolve', of: number, node: Call, walker: Walker): void {
    this.#dealtWith.add(of);
    const [first] = node.arguments;
    if (first === undefined) return;
    const request = this.#moduleRequest(kind, evaluate(first, this.values), first, walker);
    this.#pending.push(request === undefined ? { of, unseen: this.#cannotSee(node) } : { of, request });
  }

  /** The folder of the module, given to somebody: what they find there cannot be seen. */
  #handedOn(node: Call, name: string | undefined): void {
    if (!this.#mayHaveFiles || name === 'createRequire' || name === 'fileURLToPath' || name === 'dirname') return;
    const isFolder = (arg: AnyNode): boolean => {
      const found =
        arg.type === 'Identifier' || arg.type === 'MemberExpression' ? evaluate(arg, this.values) : undefined;
      return found?.base === 'module' && settlePath(found.text) === '';
    };
    if (name !== 'join' && name !== 'resolve' && node.arguments.some(isFolder)) this.unseen.push(this.#cannotSee(node));
  }

  /** A path that stands as it is, from the folder in which the program runs, or from the module's. */
  #plainFile(node: AnyNode | undefined, whole: AnyNode, walker: Walker): void {
    const found = evaluate(node, this.values);
    if (found === undefined || found.text.startsWith(UNKNOWN)) return;
    if (found.base !== undefined) {
      // What comes to a path by itself is seen by itself.
      if (node?.type === 'Identifier' || node?.type === 'MemberExpression') this.#file(found, whole, walker);
      return;
    }
    const path = settlePath(found.text);
    if (path === undefined || path === '' || /^[a-z]+:|^\/|[\s<>|"*?]/i.test(found.text)) return;
    this.#file({ text: `/${path}` }, whole, walker);
  }

  /** Any expression that comes to a path from the module's folder. */
  #path(node: AnyNode, walker: Walker): boolean {
    if (!this.#mayHaveFiles || this.#insidePath > 0) return false;
    const found = evaluate(node, this.values);
    if (found?.base === undefined) return false;
    this.#file(found, node, walker);
    this.#insidePath += 1;
    walker.children(node);
    this.#insidePath -= 1;
    return true;
  }

  #file(found: Constant, node: AnyNode, walker: Walker): void {
    const path = settledText(found.text);
    // The folder itself, or the module: nothing is asked for yet.
    if (path === undefined || /^(?:\.\.\/?)*$/.test(path) || path.includes('\u0001')) return;
    const isPattern = path.includes(UNKNOWN);
    if (isPattern && path.startsWith(UNKNOWN)) return;
    this.#requests.push({
      kind: isPattern ? 'file-names' : 'file',
      specifier: found.text.startsWith('/') ? `/${path}` : path.replaceAll(UNKNOWN, '*'),
      ...this.#circumstances(node, walker),
    });
  }

  #moduleRequest(
    kind: 'dynamic' | 'require' | 'resolve',
    found: Constant | undefined,
    literal: AnyNode,
    walker: Walker,
  ): ModuleRequest | undefined {
    if (found === undefined) return undefined;
    const specifier = found.base === undefined ? found.text : `./${settledText(found.text) ?? '..'}`;
    if (!specifier.includes(UNKNOWN)) {
      const place =
        found.base !== undefined
          ? { isPath: true as const }
          : literal.type === 'Literal'
            ? { start: literal.start, end: literal.end }
            : {};
      return { kind, specifier, ...this.#circumstances(literal, walker), ...place };
    }
    // Something must be known of where to look.
    const known = specifier.slice(0, specifier.indexOf(UNKNOWN));
    if (!/^\.{1,2}\/|^(?:@[^/]+\/)?[^./][^/]*\//.test(known)) return undefined;
    return {
      kind: 'require-names',
      specifier: specifier.replaceAll(UNKNOWN, '*'),
      ...this.#circumstances(literal, walker),
    };
  }

  #circumstances(node: AnyNode, walker: Walker): Pick<ModuleRequest, 'line' | 'guard' | 'when'> {
    const guard = walker.tries > 0 ? 'try' : walker.functions > 0 ? 'lazy' : 'none';
    return { line: this.#lineAt(node.start), guard, ...(this.#when.length > 0 && { when: this.#when }) };
  }

  #cannotSee(node: AnyNode): { line: number; what: string } {
    const text = this.#code.slice(node.start, Math.min(node.end, node.start + MAX_SHOWN)).replace(/\s+/g, ' ');
    return { line: this.#lineAt(node.start), what: node.end - node.start > MAX_SHOWN ? `${text}…` : text };
  }

  /** `const load = createRequire(import.meta.url)`. */
  #isRequire(name: string): boolean {
    const value = this.values.get(name);
    return value?.type === 'CallExpression' && calleeName(value.callee) === 'createRequire';
  }
}

/** Whether a test says nothing but its comparison. */
function isWhole(test: AnyNode): boolean {
  return test.type !== 'LogicalExpression';
}

function settledText(text: string): string | undefined {
  return settlePath(text) ?? (text.startsWith('..') || text.startsWith('./..') ? plainUp(text) : undefined);
}

/** `./a/../../b` gives `../b`. */
function plainUp(text: string): string {
  const parts: string[] = [];
  for (const part of text.split('/')) {
    if (part === '' || part === '.') continue;
    if (part === '..' && parts.length > 0 && parts.at(-1) !== '..') parts.pop();
    else parts.push(part);
  }
  return parts.join('/');
}
