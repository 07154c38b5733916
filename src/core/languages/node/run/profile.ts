/** What loading the modules of a function costs, from samples of what runs. */
import { readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { parse, type AnyNode, type Program } from 'acorn';
import { folderOf, joinPath, settlePath } from '../../../base/paths';
import { toldCosts, type LoadCost, type Profiling } from '../../load-cost';
import { Resolver } from '../resolve/resolver';

export const profiling: Profiling = {
  args: () => [],
  read({ told: result, root, own, entry }) {
    const inside = (file: string): string => {
      const path = file.startsWith('file:') ? fileURLToPath(file) : file;
      return path.startsWith(`${root}/`) ? path.slice(root.length + 1) : '';
    };
    const costs = withImports(
      toldCosts(result, ({ file }) => inside(file)),
      root,
      entry,
    );
    const later = new Set(own.filter((path) => /\.[cm]?js$/.test(path)).flatMap((path) => laterOf(root, path)));
    const largest = largestOf(costs);
    return Promise.resolve(
      costs.map((one) =>
        later.has(ownerOf(one.name)) && largest.get(ownerOf(one.name)) === one
          ? { ...one, isLater: true as const }
          : one,
      ),
    );
  },
};

/**
 * The runtime runs ES modules one after the other, each when all that it imports has run: what belongs to whom is seen in
 * their imports only.
 */
function withImports(costs: readonly LoadCost[], root: string, entry: string): LoadCost[] {
  const byName = new Map(costs.map((one) => [one.name, one]));
  const { resolver, read } = treeOf(root);
  const seen = new Set<string>();
  const found = new Map<string, { readonly totalMs: number; readonly by: string }>();
  const visit = (path: string, by: string): number => {
    if (seen.has(path)) return 0;
    seen.add(path);
    const cost = byName.get(path);
    let totalMs = cost?.totalMs ?? 0;
    if (resolver.packages.formatOf(path) !== 'cjs')
      for (const specifier of importsOf(read(path))) {
        const target = resolver.resolve(specifier, path, 'import');
        if (target.kind === 'file') totalMs += visit(target.path, path);
      }
    if (cost !== undefined) found.set(path, { totalMs, by });
    return totalMs;
  };
  visit(entry, '');
  return costs.map((one) => {
    const { totalMs = one.totalMs, by = '' } = found.get(one.name) ?? {};
    const asker = one.by ?? by;
    return { ...one, totalMs, ...(asker !== '' && { by: asker }) };
  });
}

function treeOf(root: string): { resolver: Resolver; read: (path: string) => string | undefined } {
  const read = (path: string): string | undefined => {
    try {
      return readFileSync(join(root, path), 'utf8');
    } catch {
      return undefined;
    }
  };
  const isFile = (path: string): boolean => statSync(join(root, path), { throwIfNoEntry: false })?.isFile() === true;
  return { read, resolver: new Resolver({ tree: { isFile, readText: read }, requiresEsm: true }) };
}

/** Specifiers of imports that stand at the top of a module. */
function importsOf(code: string | undefined): string[] {
  try {
    return parsed(code ?? '').body.flatMap((one) =>
      one.type === 'ImportDeclaration' ||
      one.type === 'ExportAllDeclaration' ||
      (one.type === 'ExportNamedDeclaration' && one.source !== null && one.source !== undefined)
        ? [String(one.source?.value)]
        : [],
    );
  } catch {
    return [];
  }
}

/** A package is told by the file of it that takes longest with all that it loads. */
function largestOf(costs: readonly LoadCost[]): ReadonlyMap<string, LoadCost> {
  const largest = new Map<string, LoadCost>();
  for (const one of costs) {
    const before = largest.get(ownerOf(one.name));
    if (before === undefined || before.totalMs < one.totalMs) largest.set(ownerOf(one.name), one);
  }
  return largest;
}

/** The package of a file, or the file itself. */
function ownerOf(path: string): string {
  return /^(?:.*\/)?node_modules\/((?:@[^/]+\/)?[^/]+)\//.exec(path)?.[1] ?? path;
}

function laterOf(root: string, path: string): string[] {
  try {
    return laterImports(readFileSync(join(root, path), 'utf8')).flatMap((specifier) =>
      specifier.startsWith('.') ? (settlePath(joinPath(folderOf(path), specifier)) ?? []) : packageIn(specifier),
    );
  } catch {
    // What cannot be read or parsed says nothing.
    return [];
  }
}

function packageIn(specifier: string): string {
  return /^(?:@[^/]+\/)?[^/]+/.exec(specifier)?.[0] ?? specifier;
}

/** What a module imports at its top, and uses in functions only. */
export function laterImports(code: string): string[] {
  const bound = new Map<string, string[]>();
  const [used, known] = [new Set<string>(), new Set<string>()];
  for (const statement of parsed(code).body) {
    if (statement.type === 'ImportDeclaration')
      bound.set(
        String(statement.source.value),
        statement.specifiers.map(({ local }) => local.name),
      );
    else if (!isRequire(statement, bound)) noteUses(statement, used, known);
  }
  // What is used nowhere may be there for what it does when it is loaded.
  return [...bound].flatMap(([specifier, names]) =>
    names.some((name) => used.has(name)) || !names.some((name) => known.has(name)) ? [] : [specifier],
  );
}

/** `const levels = require('levels')`, by itself. */
function isRequire(statement: AnyNode, bound: Map<string, string[]>): boolean {
  if (statement.type !== 'VariableDeclaration' || statement.declarations.length !== 1) return false;
  const [{ id, init } = { id: undefined, init: undefined }] = statement.declarations;
  if (id?.type !== 'Identifier' || init?.type !== 'CallExpression') return false;
  const [first] = init.arguments;
  if (init.callee.type !== 'Identifier' || init.callee.name !== 'require' || first?.type !== 'Literal') return false;
  bound.set(String(first.value), [id.name]);
  return true;
}

/** Names that are used as the module runs, and all that are used, also by bodies of functions. */
function noteUses(node: AnyNode, used: Set<string>, known: Set<string>): void {
  const isFunction = /^(?:FunctionDeclaration|FunctionExpression|ArrowFunctionExpression)$/.test(node.type);
  if (node.type === 'Identifier') for (const names of [used, known]) names.add(node.name);
  for (const value of Object.values(node))
    for (const one of [value].flat() as unknown[])
      if (typeof one === 'object' && one !== null && 'type' in one)
        noteUses(one as AnyNode, isFunction ? known : used, known);
}

function parsed(code: string): Program {
  try {
    return parse(code, { ecmaVersion: 'latest', sourceType: 'module', allowHashBang: true });
  } catch {
    return parse(code, {
      ecmaVersion: 'latest',
      sourceType: 'script',
      allowHashBang: true,
      allowReturnOutsideFunction: true,
    });
  }
}
