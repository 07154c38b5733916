/**
 * `NAME.deps.json`, from which the .NET host takes which files an application has and where they came from
 * ("runtime-configuration-file" in the documents of the runtime). What is written back differs only in what was taken out.
 */
import { findNodeAtLocation, parseTree, printParseErrorCode, type Node, type ParseError } from 'jsonc-parser';
import { EmballageError } from '../../../base/errors';
import { baseOf } from '../../../base/paths';
import { nesting, printable } from '../../../base/text';

const KINDS = ['runtime', 'native', 'resources', 'runtimeTargets'] as const;
export const MOST_DEPS_BYTES = 16 * 1024 * 1024;
const MOST_ASSETS = 100_000;
const MOST_DEPTH = 64;

export interface DepsAsset {
  readonly kind: (typeof KINDS)[number];
  /** Path in its package. */
  readonly path: string;
  /** Path in the publish folder. */
  readonly file: string;
  /** The systems that it is for, where it is not for all. */
  readonly rid?: string;
  /** The language of its texts. */
  readonly culture?: string;
}

export interface DepsLibrary {
  readonly name: string;
  readonly version: string;
  /** `project`, `package`, `reference`, `runtimepack`. */
  readonly type: string;
  readonly assets: readonly DepsAsset[];
}

export interface DepsFile {
  /** `.NETCoreApp,Version=v8.0`. */
  readonly framework: string;
  /** What it was published for; '' for all systems. */
  readonly rid: string;
  readonly libraries: readonly DepsLibrary[];
}

/** @param shown its path, for messages @throws EmballageError PACKAGE_INVALID */
export function readDepsFile(text: string, shown: string): DepsFile {
  const root = treeOf(text, shown);
  const target = textAt(root, ['runtimeTarget', 'name']) ?? textAt(root, ['runtimeTarget']) ?? '';
  const [framework = '', rid = ''] = target.split('/');
  const libraries: DepsLibrary[] = [];
  let assets = 0;
  for (const [key, node] of membersAt(root, ['targets', target])) {
    const [name = '', version = ''] = key.split('/');
    const found = KINDS.flatMap((kind) => membersAt(node, [kind]).map(([path, facts]) => assetOf(kind, path, facts)));
    assets += found.length;
    if (assets > MOST_ASSETS) throw bad(shown, `at most ${String(MOST_ASSETS)} files`, 'more');
    libraries.push({ name, version, type: textAt(root, ['libraries', key, 'type']) ?? '', assets: found });
  }
  if (target === '') throw bad(shown, 'a `runtimeTarget`', 'none');
  return { framework, rid, libraries };
}

/** Without what is gone. @param isGone asked with paths in the publish folder @returns the text itself where nothing is */
export function withoutAssets(text: string, shown: string, isGone: (file: string) => boolean): string {
  const root = treeOf(text, shown);
  const libraries = membersAt(root, ['targets']).flatMap(([, target]) => membersOf(target));
  const groups = libraries.flatMap(([, library]) =>
    KINDS.flatMap((kind) => {
      const group = findNodeAtLocation(library, [kind]);
      return group === undefined ? [] : [{ kind, group }];
    }),
  );
  const gone = new Set(groups.flatMap(({ kind, group }) => goneIn(kind, group, isGone)));
  return gone.size === 0 ? text : rendered(root, text, gone);
}

/** The properties of a group that go; the group itself, where nothing of it stays. */
function goneIn(kind: DepsAsset['kind'], group: Node, isGone: (file: string) => boolean): Node[] {
  const all = membersOf(group);
  const out = all.filter(([path, facts]) => isGone(assetOf(kind, path, facts).file)).map(([, node]) => node);
  const nodes = out.length > 0 && out.length === all.length ? [group] : out;
  return nodes.flatMap(({ parent }) => parent ?? []);
}

/** The text of a node, with the gaps between what stays as they were. */
function rendered(node: Node, text: string, gone: ReadonlySet<Node>): string {
  const parts = node.children ?? [];
  const [first, last] = [parts[0], parts.at(-1)];
  if (first === undefined || last === undefined) return text.slice(node.offset, node.offset + node.length);
  const kept = parts.filter((part) => !gone.has(part));
  const endOf = (one: Node): number => one.offset + one.length;
  const second = parts[1];
  const gap = second === undefined ? '' : text.slice(endOf(first), second.offset);
  const open = text.slice(node.offset, first.offset);
  const close = text.slice(endOf(last), endOf(node));
  if (kept.length === 0) return node.type === 'array' ? '[]' : '{}';
  return open + kept.map((part) => rendered(part, text, gone)).join(gap) + close;
}

function assetOf(kind: DepsAsset['kind'], path: string, facts: Node): DepsAsset {
  const rid = kind === 'runtimeTargets' ? textAt(facts, ['rid']) : undefined;
  const culture = textAt(facts, ['locale']) ?? (kind === 'resources' ? path.split('/').at(-2) : undefined);
  const placed = textAt(facts, ['localPath']);
  const usual =
    kind === 'runtimeTargets' ? path : kind === 'resources' ? path.split('/').slice(-2).join('/') : baseOf(path);
  return {
    kind,
    path,
    file: placed ?? usual,
    ...(rid !== undefined && { rid }),
    ...(culture !== undefined && { culture }),
  };
}

/** @throws EmballageError with the place */
function treeOf(text: string, shown: string): Node {
  const errors: ParseError[] = [];
  const plain = text.replace(/^\uFEFF/, ' ');
  if (text.length > MOST_DEPS_BYTES) throw bad(shown, 'a file of at most 16 MiB', 'a larger one');
  if (nesting(text) > MOST_DEPTH) throw bad(shown, 'an object of targets and libraries', 'too many levels');
  const root = parseTree(plain, errors, { allowTrailingComma: true });
  const [error] = errors;
  if (error !== undefined)
    throw bad(`${shown}:${place(plain, error.offset)}`, 'JSON', printParseErrorCode(error.error));
  if (root?.type !== 'object') throw bad(shown, 'an object', root?.type ?? 'nothing');
  return root;
}

function place(text: string, offset: number): string {
  const before = text.slice(0, offset).split('\n');
  return `${String(before.length)}:${String((before.at(-1) ?? '').length + 1)}`;
}

function membersAt(node: Node, path: readonly string[]): [string, Node][] {
  const found = findNodeAtLocation(node, [...path]);
  return found === undefined ? [] : membersOf(found);
}

function membersOf(node: Node): [string, Node][] {
  if (node.type !== 'object') return [];
  return (node.children ?? []).flatMap((property): [string, Node][] => {
    const [key, value] = property.children ?? [];
    return key === undefined || value === undefined ? [] : [[String(key.value), value]];
  });
}

function textAt(node: Node, path: readonly string[]): string | undefined {
  const found = findNodeAtLocation(node, [...path]);
  return found?.type === 'string' ? String(found.value) : undefined;
}

function bad(where: string, expected: string, found: string): EmballageError {
  return new EmballageError('PACKAGE_INVALID', {
    doing: 'reading what a publish folder has',
    where: printable(where),
    expected,
    found,
    mend: 'publish again into an empty folder',
  });
}
