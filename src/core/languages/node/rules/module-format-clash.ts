import { printable } from '../../../base/text';
import { missingExportMend, type NodeView } from '../assemble/assembling';
import { chainTo, nodeOf, ownNodeModules } from './shared';
import { findings, type Finding, type Rule } from '../../../findings/rule';

export const moduleFormatClash: Rule = {
  id: 'module/format-clash',
  level: 'stop',
  title: 'Every module is loaded as what it is, and exports what others import',
  why: 'Node.js takes a file for an ES module or for CommonJS by its ending and its package.json. What is written for the other, or asks for a name that the other does not show, fails when it is loaded.',
  mend: 'Name the file `.mjs` or `.cjs`, set `type` in its package.json, or import it the way it wants to be.',
  needs: ['runtime'],
  check({ subject, facts }) {
    const node = nodeOf(subject);
    if (node === undefined) return findings();
    const own = new Set(ownNodeModules(node, facts));
    const found: Finding[] = [];
    for (const path of node.trace.reached.keys()) {
      found.push(...unreadable(node, path, own.has(path)));
      if (own.has(path)) found.push(...foreignNames(node, path), ...missingNames(node, path), ...plainJson(node, path));
      found.push(...requiredEsm(node, path));
    }
    return findings(...found);
  },
};

/** Loaded for sure: imported from module to module, not only by chance. */
function isImported(node: NodeView, path: string): boolean {
  const how = node.trace.reached.get(path)?.how;
  return how === 'entry' || how === 'import';
}

function unreadable(node: NodeView, path: string, isOwn: boolean): Finding[] {
  const facts = node.factsOf(path);
  if (facts?.fault === undefined || !isImported(node, path)) return [];
  const { line, column, message, text } = facts.fault;
  const isOther = facts.format === 'cjs' && /'import' and 'export'|import\.meta|await/.test(message);
  const shown = text === '' ? '' : `: \`${printable(text.trim())}\``;
  return [
    {
      level: isOwn || node.trace.reached.get(path)?.how === 'entry' ? 'stop' : 'warn',
      where: `${printable(path)}:${String(line)}:${String(column)}`,
      expected: isOther ? 'CommonJS, which Node.js takes it for' : 'JavaScript that can be parsed',
      found: isOther ? `an ES module${shown}` : `${printable(message)}${shown}`,
      mend: isOther
        ? 'name it `.mjs`, or set `"type": "module"` in its package.json'
        : `mend the line; ${chainTo(node, path)}`,
    },
  ];
}

function foreignNames(node: NodeView, path: string): Finding[] {
  const [first] = node.factsOf(path)?.esm?.commonJsNames ?? [];
  if (first === undefined) return [];
  return [
    {
      level: 'stop',
      where: printable(path),
      expected: 'an ES module, which Node.js takes it for',
      found: `\`${first.name}\`, which only CommonJS has`,
      mend: 'name it `.cjs`, or write `import` and `export`; `createRequire` of `node:module` makes a `require`',
    },
  ];
}

function missingNames(node: NodeView, path: string): Finding[] {
  const { edges } = node.trace;
  const esm = node.factsOf(path)?.esm;
  const asked = [...(esm?.imports ?? []), ...(esm?.reexports ?? [])].filter(({ imported }) => imported !== '*');
  return asked.flatMap(({ specifier, imported }): Finding[] => {
    const edge = edges.get(path)?.find(({ request }) => request.kind === 'import' && request.specifier === specifier);
    const [target] = edge?.targets ?? [];
    const facts = target === undefined ? undefined : node.factsOf(target);
    if (target === undefined || facts === undefined || facts.fault !== undefined) return [];
    if (node.hasExport(target, imported)) return [];
    const isCommonJs = facts.esm === undefined;
    return [
      {
        level: 'stop',
        where: `${printable(path)}:${String(edge?.request.line ?? 1)}`,
        expected: `an export \`${printable(imported)}\` of \`${printable(specifier)}\``,
        found: isCommonJs ? 'a CommonJS module that does not show that name' : 'none of that name',
        mend: missingExportMend(imported, node.exportsOf(target), isCommonJs),
      },
    ];
  });
}

function requiredEsm(node: NodeView, path: string): Finding[] {
  return (node.trace.edges.get(path) ?? []).flatMap(({ request, targets: [target] }): Finding[] => {
    if (request.kind !== 'require' || request.guard === 'try' || target === undefined) return [];
    const esm = node.factsOf(target)?.esm;
    if (esm === undefined || (node.requiresEsm && !esm.hasTopAwait)) return [];
    return [
      {
        level: request.guard === 'none' ? 'stop' : 'warn',
        where: `${printable(path)}:${String(request.line)}`,
        expected: 'CommonJS, which `require` loads',
        found: `\`${printable(request.specifier)}\`, an ES module${esm.hasTopAwait ? ' that awaits at its top' : ''}`,
        mend: 'load it with `import`, or choose a version of the package that has CommonJS',
      },
    ];
  });
}

/** Node.js imports JSON only where the statement says that it is. */
function plainJson(node: NodeView, path: string): Finding[] {
  return (node.trace.edges.get(path) ?? [])
    .filter(
      ({ request, targets: [target] }) =>
        request.kind === 'import' && request.isJson !== true && target?.endsWith('.json') === true,
    )
    .map(({ request }) => ({
      level: 'stop',
      where: `${printable(path)}:${String(request.line)}`,
      expected: `\`with { type: 'json' }\` behind \`${printable(request.specifier)}\``,
      found: 'an import of JSON without it, which Node.js refuses',
      mend: 'add it, or set `link: true`, which needs none',
    }));
}
