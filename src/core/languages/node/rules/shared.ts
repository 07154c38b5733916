/** What rules about Node.js share. */
import type { LanguageView } from '../../../findings/view';
import type { NodeView } from '../view/artifact-view';
import { ownerOf } from '../view/owner';
import type { Waybill } from '../../../waybill';
import type { FunctionFacts, Subject } from '../../../findings/rule';

/** What Node.js sees, and what loading the entry reaches, where the entry is known. */
export interface NodeLanguageView extends LanguageView {
  readonly node: NodeView | undefined;
}

/** What the language sees of an artifact; undefined for one of another language. */
export function nodeOf({ view }: Subject): NodeView | undefined {
  return (view as NodeLanguageView | undefined)?.node;
}

/** The modules of the function itself that loading its entry reaches. */
export function ownNodeModules(node: NodeView | undefined, { waybill }: Pick<FunctionFacts, 'waybill'>): string[] {
  if (node === undefined) return [];
  const made = new Set((waybill?.files ?? []).filter(({ origin }) => origin.from !== 'source').map(({ path }) => path));
  return [...node.trace.reached.keys()].filter(
    (path) => node.factsOf(path) !== undefined && !made.has(path) && (waybill !== undefined || ownerOf(path) === ''),
  );
}

/** The version of Node.js that the function is for; undefined for other languages. */
export function nodeMajor({ runtime }: FunctionFacts): number | undefined {
  return runtime?.language === 'node' ? Number(runtime.version) : undefined;
}

/** Who asked for a file, from the entry on: `alert.mjs → lib/a.mjs`. */
export function chainTo(node: NodeView, path: string): string {
  const chain = [path];
  for (let at = node.trace.reached.get(path); at !== undefined && at.by !== '' && chain.length < 12;) {
    if (chain.includes(at.by)) break;
    chain.unshift(at.by);
    at = node.trace.reached.get(at.by);
  }
  return chain.join(' → ');
}

/** `node_modules/@a/b` gives `@a/b`. */
export function packageAt(owner: string): string {
  return owner.replace(/^.*node_modules\//, '');
}

/** Bytes of each package in the artifact, by where it lies; modules inside a linked file count as their sources. */
export function packageSizes({ files, modules }: Waybill): Map<string, number> {
  const sizes = new Map<string, number>();
  for (const { path, size } of [...files, ...modules]) {
    const owner = ownerOf(path);
    if (owner !== '') sizes.set(owner, (sizes.get(owner) ?? 0) + size);
  }
  return sizes;
}
