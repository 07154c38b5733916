/** Assemblies of the Common Language Infrastructure: what they are, refer to and have, whatever their bytes. */
import { readAssembly, type Assembly, type TypeInfo } from '../../formats/assembly';
import { isPe } from '../../formats/native';
import type { Comparer, Content, Detail, Difference, Looked } from '../../forms/comparing';

const MOST_BYTES = 256 * 1024 ** 2;
const MOST_NAMES = 12;

export const asAssembly: Comparer = (a, b, comparing, where) => {
  const [x, y] = [assemblyOf(a), assemblyOf(b)];
  if (x === undefined || y === undefined) return undefined;
  const details = headDetails(x.assembly, y.assembly);
  const inside = typeDifferences(x.assembly, y.assembly);
  const looked: Looked = { as: '.NET assembly', details, inside };
  if (details.length > 0 || inside.length > 0) return looked;
  const [first, second] = [stableBytes(x), stableBytes(y)];
  if (first.length !== second.length || Buffer.compare(first, second) !== 0)
    return { ...looked, details: [{ what: 'code or data', a: 'of types that are the same in name', b: 'otherwise' }] };
  comparing.note('build-id', where === '' ? a.name : where, x.assembly.id, y.assembly.id);
  return { ...looked, cause: 'build-id' };
};

/** Whether content is an assembly of .NET (ECMA-335, II.25). */
export function isAssembly(content: Content): boolean {
  try {
    return assemblyOf(content) !== undefined;
  } catch {
    return false;
  }
}

interface Read {
  readonly bytes: Uint8Array;
  readonly assembly: Assembly;
}

function assemblyOf({ source }: Content): Read | undefined {
  if (source.size > MOST_BYTES || !isPe(source.read(0, Math.min(2, source.size)))) return undefined;
  const bytes = source.read(0, source.size);
  const assembly = readAssembly(bytes);
  return assembly === undefined ? undefined : { bytes, assembly };
}

/** Without what is new in every build that is not deterministic. */
function stableBytes({ bytes, assembly }: Read): Buffer {
  const stable = Buffer.from(bytes);
  for (const { at, length } of assembly.changing) stable.fill(0, at, at + length);
  return stable;
}

function headDetails(x: Assembly, y: Assembly): Detail[] {
  const names = ({ references }: Assembly): string =>
    references
      .map(({ name, version }) => `${name} ${version}`)
      .sort()
      .join(', ');
  const rows: readonly Detail[] = [
    { what: 'name', a: x.name, b: y.name },
    { what: 'version', a: x.version, b: y.version },
    { what: 'framework', a: x.framework ?? 'none', b: y.framework ?? 'none' },
    { what: 'processor', a: x.processor ?? 'any', b: y.processor ?? 'any' },
    { what: 'needs 32 bits', a: String(x.needs32Bit), b: String(y.needs32Bit) },
    { what: 'has native code, too', a: String(x.isPrecompiled), b: String(y.isPrecompiled) },
    { what: 'optimised', a: String(!x.isDebug), b: String(!y.isDebug) },
    { what: 'references', a: names(x), b: names(y) },
    { what: 'calls native', a: x.natives.join(', '), b: y.natives.join(', ') },
  ];
  return rows.filter((row) => row.a !== row.b);
}

/** Types that came, went, or have other methods. */
function typeDifferences(x: Assembly, y: Assembly): Difference[] {
  const [first, second] = [typesByName(x), typesByName(y)];
  return [...new Set([...first.keys(), ...second.keys()])].flatMap((path): Difference[] => {
    const [from, to] = [first.get(path), second.get(path)];
    if (from === undefined || to === undefined)
      return [{ change: from === undefined ? 'added' : 'removed', path, by: 0, details: [] }];
    const [gone, come] = [without(from, to), without(to, from)];
    if (gone.length === 0 && come.length === 0) return [];
    return [
      { change: 'changed', path, by: 0, as: 'type', details: [{ what: 'methods', a: listed(gone), b: listed(come) }] },
    ];
  });
}

function typesByName({ types }: Assembly): Map<string, ReadonlySet<string>> {
  const signatures = ({ methods }: TypeInfo): ReadonlySet<string> =>
    new Set(
      methods().map(
        ({ name, isPublic, isStatic, parameters, returns }) =>
          `${isPublic ? 'public ' : ''}${isStatic ? 'static ' : ''}${returns} ${name}(${parameters.join(', ')})`,
      ),
    );
  return new Map(types().map((one) => [one.name, signatures(one)]));
}

function without(all: ReadonlySet<string>, others: ReadonlySet<string>): string[] {
  return [...all].filter((one) => !others.has(one));
}

function listed(all: readonly string[]): string {
  const more = all.length > MOST_NAMES ? ` and ${String(all.length - MOST_NAMES)} more` : '';
  return `${all.slice(0, MOST_NAMES).join('; ')}${more}`;
}
