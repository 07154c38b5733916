/** What rules about .NET share. */
import { printable } from '../../../base/text';
import type { LanguageView } from '../../../findings/view';
import type { FunctionFacts, Subject } from '../../../findings/rule';
import type { Assembly } from '../../../formats/assembly';
import type { Assemblies } from '../published/assemblies';
import type { DepsFile } from '../published/deps-file';
import type { RuntimeConfig } from '../published/runtime-config';

/** What the runtime sees in a publish folder. */
export interface PublishedView {
  readonly assemblies: Assemblies;
  /** Path of the assembly that is called. */
  readonly entry: string;
  readonly deps?: DepsFile;
  readonly config?: RuntimeConfig;
  /** Files that tell the host about it and cannot be read. */
  readonly faults: readonly { readonly path: string; readonly what: string }[];
  readonly paths: ReadonlySet<string>;
  /** Debug symbols of another build than what they lie beside. */
  readonly otherSymbols: readonly string[];
}

export interface DotnetLanguageView extends LanguageView {
  readonly published: PublishedView | undefined;
}

/** What the language sees of an artifact; undefined for one of another language. */
export function publishedIn({ view }: Subject): PublishedView | undefined {
  return (view as DotnetLanguageView | undefined)?.published;
}

/** The major version of the function's runtime; undefined for other languages. */
export function versionOf({ runtime }: FunctionFacts): string | undefined {
  return runtime?.language === 'dotnet' ? runtime.version : undefined;
}

/** Paths of the function's own assemblies: those that no package brought. */
export function ownAssemblies(view: PublishedView, { waybill }: FunctionFacts): ReadonlyMap<string, Assembly> {
  const own = new Set(
    waybill === undefined
      ? (view.deps?.libraries ?? []).flatMap(({ type, assets }) =>
          type === 'project' ? assets.map(({ file }) => file) : [],
        )
      : waybill.files.flatMap(({ path, origin }) =>
          origin.from === 'package' || origin.from === 'unlocked' ? [] : [path],
        ),
  );
  own.add(view.entry);
  return new Map([...view.assemblies.all].filter(([path]) => own.has(path)));
}

/** The package that a file came with, for people. */
export function ownerIn({ deps }: PublishedView, { waybill }: FunctionFacts, path: string): string | undefined {
  const origin = waybill?.files.find((one) => one.path === path)?.origin;
  if (origin?.from === 'package') return `${origin.name} ${origin.version}`;
  const library = deps?.libraries.find(
    ({ type, assets }) => type === 'package' && assets.some(({ file }) => file === path),
  );
  return library === undefined ? undefined : `${library.name} ${library.version}`;
}

/** What the entry reaches by references, one after the other. */
export function reachedFrom({ assemblies, entry }: PublishedView): ReadonlySet<string> {
  const reached = new Set<string>();
  const open = [entry];
  for (let path = open.pop(); path !== undefined; path = open.pop()) {
    const assembly = reached.has(path) ? undefined : assemblies.all.get(path);
    if (assembly === undefined) continue;
    reached.add(path);
    for (const { name } of assembly.references)
      open.push(...(assemblies.byName.get(name.toLowerCase()) ?? []).map((one) => one.path));
  }
  return reached;
}

/** A path, fit for printing. */
export function whereOf(path: string): string {
  return printable(path);
}
