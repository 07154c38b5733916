/** What Node.js would not find: at build, where modules were linked, and in the artifact as it is. */
import { folderOf, joinPath, settlePath } from '../../../base/paths';
import { printable } from '../../../base/text';
import type { NodeView } from '../view/artifact-view';
import { chainTo, ownNodeModules } from './shared';
import type { Finding, FunctionFacts } from '../../../findings/rule';

interface Missing {
  readonly file: string;
  readonly line: number;
  readonly specifier: string;
  readonly why: string;
  readonly near: string | undefined;
}

/** Modules that code imports and that are not in the artifact. */
export function missingInNode(node: NodeView | undefined, facts: FunctionFacts): Finding[] {
  return [...missingInFiles(node, facts), ...missingWhenLinked(facts)];
}

function missingInFiles(node: NodeView | undefined, facts: FunctionFacts): Finding[] {
  if (node === undefined) return [];
  const own = new Set(ownNodeModules(node, facts));
  return node.trace.missing.flatMap(({ from, request, why, near }) => {
    const { specifier, line, guard } = request;
    const counts = own.has(from) ? guard !== 'try' : guard === 'none' && isLoaded(from, node);
    return counts ? [finding({ file: from, line, specifier, why, near }, chainTo(node, from))] : [];
  });
}

function missingWhenLinked({ waybill }: FunctionFacts): Finding[] {
  const linked = new Map((waybill?.modules ?? []).map(({ path, origin }) => [path, origin.from === 'source']));
  return (waybill?.missing ?? []).flatMap(({ file, line, specifier, why, near, guard }) => {
    const isOwn = linked.get(file);
    const counts = isOwn === true ? guard !== 'try' : isOwn === false && guard === 'none';
    return counts ? [finding({ file, line, specifier, why, near }, file)] : [];
  });
}

/** Whether a module is run when the entry is loaded: every request on the way to it is made at once. */
function isLoaded(path: string, node: NodeView): boolean {
  for (let at = path, steps = 0; steps < 200; steps += 1) {
    const reach = node.trace.reached.get(at);
    if (reach?.how === 'entry') return true;
    if (reach?.how !== 'import') return false;
    const from = reach.by;
    const edge = node.trace.edges.get(from)?.find(({ targets }) => targets.includes(at));
    if (edge?.request.guard !== 'none' || edge.request.kind === 'dynamic') return false;
    at = from;
  }
  return false;
}

/** Whether a relative request leads out of the artifact. */
function leadsOut(file: string, specifier: string): boolean {
  return settlePath(joinPath(folderOf(file), specifier)) === undefined;
}

function finding({ file, line, specifier, why, near }: Missing, chain: string): Finding {
  const isRelative = specifier.startsWith('.');
  return {
    level: 'stop',
    where: `${printable(file)}:${String(line)}`,
    expected: `\`${printable(specifier)}\`: ${printable(why)}`,
    found: `none${near === undefined ? '' : `, but \`${printable(near)}\``}${chain === file ? '' : ` (asked for by ${printable(chain)})`}`,
    mend:
      near !== undefined
        ? `write the specifier so that it leads to \`${printable(near)}\`, letter by letter`
        : isRelative
          ? leadsOut(file, specifier)
            ? 'what lies outside the source folder is not packed: move it in, make it a package of the project (a workspace) and ask for it by name, or take it in with `include` and correct the path'
            : 'correct the path, or keep the file'
          : 'add the package to `dependencies`, run `npm install` and `emballage lock`',
    ...(near === undefined &&
      !isRelative && { mendByHand: 'pack the package, in a folder `node_modules` beside or above' }),
  };
}
