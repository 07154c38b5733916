/** Modules that stay files: under which name, and with which specifiers, so that Node.js finds what the compiler meant. */
import { baseOf, folderOf, joinPath } from '../../../base/paths';
import type { Sourcemap } from '../own';
import type { PackageFiles } from '../resolve/tree';
import type { Assembling } from './assembly';
import { Output, SourceText, type Edit } from '../link/output';
import type { Module } from '../trace/modules';
import type { Trace } from '../trace/model';

/** The name under which Node.js takes a compiled file for the format that it has. */
export function emittedPath(path: string, format: 'esm' | 'cjs', packages: PackageFiles): string {
  const stem = path.replace(/\.[cm]?[jt]sx?$/, '');
  if (path.endsWith('.mts')) return `${stem}.mjs`;
  if (path.endsWith('.cts')) return `${stem}.cjs`;
  const scope = packages.scopeOf(path);
  const type = (scope === undefined ? undefined : packages.in(scope)?.type) ?? 'commonjs';
  if ((type === 'module') === (format === 'esm')) return `${stem}.js`;
  return `${stem}${format === 'esm' ? '.mjs' : '.cjs'}`;
}

/** What a module's file holds, and its source map beside it; undefined where that is its source as it is. */
export function rewriteModule(
  assembler: Assembling,
  module: Module,
  trace: Trace | undefined,
): { readonly text: string; readonly map?: string } | undefined {
  const edits = specifierEdits(assembler, module, trace);
  const { sourcemap } = assembler.request;
  if (!module.isCompiled && edits.length === 0) return undefined;
  const code = module.code();
  const source = new SourceText(assembler.request.sourceName(module.path), code, module.map);
  const out = new Output(sourcemap !== 'none' && module.isCompiled);
  out.source(source.name, () => assembler.writtenText(module.path));
  out.copy(source, 0, code.length, edits);
  return withMap(out, assembler.emitted(module.path), sourcemap);
}

/** A text with its source map, where one was made: in it, or beside it. @param path of the text */
export function withMap(
  { text, map }: Pick<Output, 'text' | 'map'>,
  path: string,
  sourcemap: Sourcemap,
): { readonly text: string; readonly map?: string } {
  if (map === undefined) return { text };
  const mark = '//# sourceMappingURL=';
  if (sourcemap === 'beside')
    return { text: `${text.trimEnd()}\n${mark}${encodeURIComponent(baseOf(path))}.map\n`, map: `${map}\n` };
  return { text: `${text.trimEnd()}\n${mark}data:application/json;base64,${Buffer.from(map).toString('base64')}\n` };
}

/** Specifiers of files that have another name now, or that only the compiler would have found. */
function specifierEdits(assembler: Assembling, module: Module, trace: Trace | undefined): Edit[] {
  const edits: Edit[] = [];
  const from = assembler.emitted(module.path);
  for (const { request, targets } of trace?.edges.get(module.path) ?? []) {
    const [target] = targets;
    const { specifier, kind, start, end } = request;
    if (target === undefined || targets.length > 1 || start === undefined || end === undefined) continue;
    const to = assembler.emitted(target);
    const way = kind === 'import' || kind === 'dynamic' ? 'import' : 'require';
    const strictly = assembler.strict.resolve(specifier, module.path, way);
    if (to === target && strictly.kind === 'file' && strictly.path === target) continue;
    const wanted = specifierBetween(from, to);
    if (wanted !== specifier) edits.push({ start, end, text: JSON.stringify(wanted) });
  }
  return edits.sort((a, b) => a.start - b.start);
}

/** A specifier that leads from one file of the artifact to another. */
function specifierBetween(from: string, to: string): string {
  const [a, b] = [folderOf(from).split('/').filter(Boolean), to.split('/')];
  let same = 0;
  while (same < a.length && same < b.length - 1 && a[same] === b[same]) same += 1;
  const up = a.length - same;
  return joinPath(up === 0 ? '.' : Array.from({ length: up }, () => '..').join('/'), b.slice(same).join('/'));
}
