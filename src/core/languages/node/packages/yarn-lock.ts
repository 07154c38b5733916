/**
 * Reads `yarn.lock`: format 1, and the later ones, which are YAML. Both find packages by the pattern with which they are
 * asked for; folders of the project are found through the `workspaces` of its package.json.
 */
import { printable } from '../../../base/text';
import { edgesOfManifest, type GraphEdge, type GraphPackage, type LockFolders, type LockGraph } from './lock-graph';
import { asRecord, invalid, texts } from './package-lock';
import { readYarnText, type YarnBlock } from './yarn-text';
import { readYamlLock, type YamlLock } from './yaml-lock';

/** A text of a later format begins with what it says of itself. */
export function isLaterYarn(text: string): boolean {
  return /^__metadata:/m.test(text);
}

/** @throws EmballageError REQUIREMENTS_INVALID */
export function readYarnLock(text: string, shown: string, folders: LockFolders): LockGraph {
  const blocks = readYarnText(text, shown);
  const byPattern = new Map(blocks.flatMap((block) => block.patterns.map((pattern) => [pattern, block] as const)));
  const find = (name: string, range: string): string | undefined => {
    const block = byPattern.get(`${name}@${range}`);
    return block === undefined ? folders.named(name)?.folder : idOf(block);
  };
  const edges = (from: Readonly<Record<string, string>>, kind: GraphEdge['kind']): GraphEdge[] =>
    Object.entries(from).map(([name, range]) => ({ name, range, kind, to: find(name, range) }));
  const packages = blocks.map((block): GraphPackage => {
    const { fields, line } = block;
    const { version, resolved, integrity } = fields;
    const where = `${shown}:${String(line)}:1`;
    if (version === undefined) throw invalid(where, 'a version', 'none', 'write the lock anew with Yarn');
    const [pattern = ''] = block.patterns;
    const address = resolved?.replace(/#.*$/, '');
    const [, sha1] = /#([0-9a-f]{40})$/.exec(resolved ?? '') ?? [];
    const digest =
      integrity ?? (sha1 === undefined ? undefined : `sha1-${Buffer.from(sha1, 'hex').toString('base64')}`);
    if (
      address !== undefined &&
      !/^https?:\/\/[^\s]+\.t(?:ar\.)?gz(?:[?#]|$)/.test(address) &&
      !isRegistryFile(address)
    )
      throw invalid(
        where,
        'packages of a registry',
        `\`${printable(pattern)}\` from ${printable(address.slice(0, 120))}`,
        'take it from a registry; what comes out of version control has no digest to hold it to',
      );
    return {
      id: idOf(block),
      name: packageName(pattern),
      version,
      ...(address !== undefined && { resolved: address }),
      ...(digest !== undefined && { integrity: digest }),
      // What is optional is asked for under both names.
      finds: [
        ...edges(
          Object.fromEntries(
            Object.entries(block.dependencies).filter(([name]) => !(name in block.optionalDependencies)),
          ),
          'dependencies',
        ),
        ...edges(block.optionalDependencies, 'optionalDependencies'),
      ],
    };
  });
  return withFolders(packages, folders, find);
}

function isRegistryFile(address: string): boolean {
  return /^https?:\/\/[^\s]+\/-\//.test(address);
}

function idOf({ patterns }: YarnBlock): string {
  return `package ${patterns.join(', ')}`;
}

/** `@a/b@^1` gives `@a/b`; `words@npm:is-number@^6` gives what the alias stands for. */
function packageName(pattern: string): string {
  const [, aliased] = /^@?[^@]+@npm:(@?[^@]+)(?:@|$)/.exec(pattern) ?? [];
  return aliased ?? pattern.slice(0, pattern.indexOf('@', 1));
}

function withFolders(
  packages: readonly GraphPackage[],
  folders: LockFolders,
  find: (name: string, range: string) => string | undefined,
): LockGraph {
  const own = folders.all.map(({ folder, name, version, manifest }): GraphPackage => ({
    id: folder,
    folder,
    name,
    version,
    finds: edgesOfManifest(manifest, find),
  }));
  return new Map([...packages, ...own].map((one) => [one.id, one]));
}

const MIN_LATER = 4;

/** @throws EmballageError REQUIREMENTS_INVALID */
export function readLaterYarnLock(text: string, shown: string, folders: LockFolders): LockGraph {
  const lock = readYamlLock(text, shown);
  const { version } = asRecord(lock.value.__metadata);
  if (typeof version !== 'number' || version < MIN_LATER)
    throw invalid(
      lock.place('__metadata'),
      `a format from ${String(MIN_LATER)} on`,
      `\`${String(version)}\``,
      'write it anew with Yarn',
    );
  const entries = Object.entries(lock.value).filter(([key]) => key !== '__metadata');
  const byPattern = new Map<string, string>();
  const packages = entries.flatMap(([key, entry]) => {
    const one = laterPackage(key, asRecord(entry), lock);
    for (const pattern of key.split(', '))
      byPattern.set(pattern, one === undefined ? folderOf(asRecord(entry)) : one.id);
    return one === undefined ? [] : [one];
  });
  const find = (name: string, range: string): string | undefined =>
    byPattern.get(`${name}@${range}`) ?? byPattern.get(`${name}@npm:${range}`) ?? folders.named(name)?.folder;
  // What packages ask for is looked up when all patterns are known.
  const linked = packages.map((one) => ({
    ...one,
    finds: one.finds.map((edge) => ({ ...edge, to: find(edge.name, edge.range) })),
  }));
  return withFolders(linked, folders, find);
}

function folderOf({ resolution }: Record<string, unknown>): string {
  const [, folder = ''] = /@workspace:(.*)$/.exec(String(resolution)) ?? [];
  return folder === '.' ? '' : folder;
}

/** Undefined for a folder of the project. */
function laterPackage(key: string, entry: Record<string, unknown>, lock: YamlLock): GraphPackage | undefined {
  const resolution = String(entry.resolution);
  if (resolution.includes('@workspace:')) return undefined;
  const [, name, version] = /^(@?[^@]+)@(?:npm:|patch:.*?@npm%3A)([^#:]+)/.exec(resolution) ?? [];
  const isOwnPatch = resolution.includes('@patch:') && !resolution.includes('builtin<');
  if (name === undefined || version === undefined || isOwnPatch)
    throw invalid(
      lock.place(key),
      'packages of a registry, as they are there',
      `\`${printable(resolution.slice(0, 120))}\``,
      isOwnPatch ? 'publish what was patched under a version of its own' : 'take it from a registry',
    );
  const optional = Object.entries(asRecord(entry.dependenciesMeta)).flatMap(([one, meta]) =>
    asRecord(meta).optional === true ? [one] : [],
  );
  const edge = (one: string, range: string, kind: GraphEdge['kind']): GraphEdge => ({
    name: one,
    range,
    kind,
    to: undefined,
  });
  const conditions = new Map<string, string[]>();
  for (const [, what = '', values = ''] of String(entry.conditions ?? '').matchAll(/(\w+)=([^&\s]+)/g))
    conditions.set(what, [...(conditions.get(what) ?? []), values]);
  return {
    id: `package ${resolution}`,
    name,
    version,
    ...Object.fromEntries(conditions),
    finds: [
      ...Object.entries(texts(entry.dependencies)).map(([one, range]) =>
        edge(one, range, optional.includes(one) ? 'optionalDependencies' : 'dependencies'),
      ),
      ...Object.entries(texts(entry.peerDependencies)).map(([one, range]) => edge(one, range, 'peerDependencies')),
    ],
  };
}
