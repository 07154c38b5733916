/** What an assembly is: its name and version, what it refers to, what it is compiled for, its types and their methods. */
import { foreignCalls, type ForeignCall } from './bodies';
import { compressed, Metadata } from './metadata';
import { PeImage } from './image';
import { fullName } from './names';
import { signatureOf } from './signatures';

export interface AssemblyName {
  readonly name: string;
  /** `8.0.0.0`. */
  readonly version: string;
  /** '' for none. */
  readonly culture: string;
}

export interface MethodInfo {
  readonly name: string;
  readonly isPublic: boolean;
  readonly isStatic: boolean;
  /** Full names of its parameters' types, and of what it gives back. */
  readonly parameters: readonly string[];
  readonly returns: string;
}

export interface TypeInfo {
  /** `Fernhaven.Dues.Export`; nested types with `+`. */
  readonly name: string;
  readonly isPublic: boolean;
  readonly isAbstract: boolean;
  /** Full name of the type that it inherits from; '' for none, and for one that is made of others. */
  readonly base: string;
  readonly methods: () => readonly MethodInfo[];
}

export interface Assembly extends AssemblyName {
  readonly references: readonly AssemblyName[];
  /** `.NETCoreApp,Version=v8.0`; undefined where it does not say. */
  readonly framework?: string;
  /** The processor that its code is for; undefined where it is for any. */
  readonly processor?: 'x86_64' | 'arm64' | 'x86 (32 bit)' | 'arm (32 bit)' | 'another';
  /** It runs as 32-bit code only. */
  readonly needs32Bit: boolean;
  /** Native code beside the common one. */
  readonly isPrecompiled: boolean;
  /** Compiled without optimisation (DebuggableAttribute). */
  readonly isDebug: boolean;
  /** Whether its bytes are said to depend on its sources alone. */
  readonly isDeterministic: boolean;
  /** Identifier of the build that its debug symbols are of, in hexadecimal; undefined where it names none. */
  readonly symbols?: string;
  /** It says where its own program begins. */
  readonly hasEntryPoint: boolean;
  /** Native libraries that it calls. */
  readonly natives: readonly string[];
  readonly types: () => readonly TypeInfo[];
  /** What its code calls in other assemblies. @throws RangeError for damaged code */
  readonly calls: () => readonly ForeignCall[];
  /** Texts that its code may load. */
  readonly texts: () => readonly string[];
  /** The identifier of this build, in hexadecimal. */
  readonly id: string;
  /** Stretches of the file that are new in every build, unless that is deterministic. */
  readonly changing: readonly { readonly at: number; readonly length: number }[];
}

/** II.25.3.3.1. */
const [IL_ONLY, NEEDS_32, PREFERS_32, NATIVE_ENTRY] = [0x1, 0x2, 0x20000, 0x10];
/** Types of entries of a debug directory. */
const [CODE_VIEW, REPRODUCIBLE] = [2, 16];
const DEBUG_ENTRY_BYTES = 28;
const GUID_BYTES = 16;
const [X86, X64, ARM, ARM64] = [0x14c, 0x8664, 0x1c4, 0xaa64];
/** Ready-to-run code for other systems has its machine folded with a number of the system. */
const SYSTEMS = [0, 0x7b79, 0x4644, 0xadc4, 0x1993, 0x1992];
const READY_TO_RUN = 0x00525452;

/** @returns undefined for native code @throws RangeError for what is damaged */
export function readAssembly(bytes: Uint8Array): Assembly | undefined {
  const image = new PeImage(bytes);
  const header = image.cliHeader;
  if (header === undefined) return undefined;
  const cli = image.at({ address: header.address, size: 72 });
  const metadata = new Metadata(image.at({ address: cli.u32(8), size: cli.u32(12) }));
  const flags = cli.u32(16);
  const own = nameAt(metadata, 'Assembly', 1);
  const isIl = (flags & IL_ONLY) !== 0;
  const isPrecompiled = isReadyToRun(image, cli.u32(64));
  const framework = frameworkOf(metadata);
  const symbols = symbolsOf(image);
  const processor = processorOf(image.machine, isIl && !isPrecompiled && image.machine === X86);
  return {
    ...own,
    references: all(metadata, 'AssemblyRef', (row) => nameAt(metadata, 'AssemblyRef', row)),
    ...(framework !== undefined && { framework }),
    ...(processor !== undefined && { processor }),
    ...(symbols !== undefined && { symbols }),
    needs32Bit: image.machine === X86 && (flags & NEEDS_32) !== 0 && (flags & PREFERS_32) === 0,
    isPrecompiled,
    isDebug: isUnoptimised(metadata),
    isDeterministic: isReproducible(image),
    hasEntryPoint: cli.u32(20) !== 0 && (flags & NATIVE_ENTRY) === 0,
    natives: [...new Set(all(metadata, 'ImplMap', (row) => metadata.tables.cell('ImplMap', row, 3)))]
      .filter((row) => row > 0)
      .map((row) => metadata.name('ModuleRef', row, 0)),
    types: () => typesOf(metadata),
    calls: () => [...foreignCalls(image, metadata)],
    texts: () => [...metadata.userStrings()],
    id: Buffer.from(metadata.guids.subarray(0, GUID_BYTES)).toString('hex'),
    changing: changingIn(image, metadata),
  };
}

/** The time in the header, its checksum, the identifier of the module, and what debuggers are told of both. */
function changingIn(image: PeImage, { guids }: Metadata): Assembly['changing'] {
  const at = (part: Uint8Array): number => part.byteOffset - image.bytes.byteOffset;
  const stretches = [...image.headerStretches, { at: at(guids), length: Math.min(GUID_BYTES, guids.length) }];
  const span = image.debugDirectory;
  if (span === undefined) return stretches;
  const start = at(image.at(span).bytes);
  for (const [i, { length, offset }] of debugEntries(image).entries()) {
    stretches.push({ at: start + i * DEBUG_ENTRY_BYTES + 4, length: 4 });
    if (offset > 0 && offset + length <= image.bytes.length) stretches.push({ at: offset, length });
  }
  return stretches;
}

function processorOf(machine: number, isAny: boolean): Assembly['processor'] {
  if (isAny) return undefined;
  for (const system of SYSTEMS) {
    const plain = machine ^ system;
    if (plain === X64) return 'x86_64';
    if (plain === ARM64) return 'arm64';
    if (plain === X86) return 'x86 (32 bit)';
    if (plain === ARM) return 'arm (32 bit)';
  }
  return 'another';
}

function isReadyToRun(image: PeImage, address: number): boolean {
  if (address === 0) return false;
  try {
    return image.at({ address, size: 4 }).u32(0) === READY_TO_RUN;
  } catch {
    return false;
  }
}

/** Entries of the debug directory: their type, and where in the file their data lie. */
function debugEntries(image: PeImage): { readonly type: number; readonly length: number; readonly offset: number }[] {
  const span = image.debugDirectory;
  if (span === undefined) return [];
  const entries = image.at(span);
  const count = Math.floor(span.size / DEBUG_ENTRY_BYTES);
  return Array.from({ length: count }, (_, i) => {
    const at = i * DEBUG_ENTRY_BYTES;
    return { type: entries.u32(at + 12), length: entries.u32(at + 16), offset: entries.u32(at + 24) };
  });
}

function isReproducible(image: PeImage): boolean {
  return debugEntries(image).some(({ type }) => type === REPRODUCIBLE);
}

/** `RSDS`, an identifier of sixteen bytes, an age, a path. */
function symbolsOf(image: PeImage): string | undefined {
  const found = debugEntries(image).find(({ type, length }) => type === CODE_VIEW && length >= 24);
  if (found === undefined || found.offset + 24 > image.bytes.length) return undefined;
  const data = Buffer.from(image.bytes.subarray(found.offset, found.offset + 20));
  return data.toString('latin1', 0, 4) === 'RSDS' ? data.toString('hex', 4) : undefined;
}

function nameAt(metadata: Metadata, table: 'Assembly' | 'AssemblyRef', row: number): AssemblyName {
  if (metadata.tables.rows(table) < row) return { name: '', version: '', culture: '' };
  const first = table === 'Assembly' ? 1 : 0;
  const version = [0, 1, 2, 3].map((i) => metadata.tables.cell(table, row, first + i)).join('.');
  const at = table === 'Assembly' ? 7 : 6;
  return { name: metadata.name(table, row, at), version, culture: metadata.name(table, row, at + 1) };
}

function all<T>(metadata: Metadata, table: 'AssemblyRef' | 'ImplMap', read: (row: number) => T): T[] {
  return Array.from({ length: metadata.tables.rows(table) }, (_, i) => read(i + 1));
}

/** Values of attributes of the assembly, by the full name of their type. */
function* attributesOf(metadata: Metadata): Generator<readonly [name: string, value: Uint8Array]> {
  const rows = metadata.tables.rows('CustomAttribute');
  for (let row = 1; row <= rows; row++) {
    const parent = metadata.reference('CustomAttribute', row, 0, 'HasCustomAttribute');
    if (parent?.table !== 'Assembly') continue;
    const constructor = metadata.reference('CustomAttribute', row, 1, 'CustomAttributeType');
    if (constructor?.table !== 'MemberRef') continue;
    const type = metadata.reference('MemberRef', constructor.row, 0, 'MemberRefParent');
    if (type?.table === 'TypeRef') yield [fullName(metadata, type), metadata.blob('CustomAttribute', row, 2)];
  }
}

function frameworkOf(metadata: Metadata): string | undefined {
  for (const [name, value] of attributesOf(metadata)) {
    if (name !== 'System.Runtime.Versioning.TargetFrameworkAttribute') continue;
    // II.23.3: a prolog of two bytes, then a text with its length.
    const [length, width] = compressed(value, 2);
    return Buffer.from(value.subarray(2 + width, 2 + width + length)).toString('utf8');
  }
  return undefined;
}

/** `DebuggableAttribute(DebuggingModes)`, or its older form with two truth values. */
function isUnoptimised(metadata: Metadata): boolean {
  const DISABLES = 0x100;
  for (const [name, value] of attributesOf(metadata)) {
    if (name !== 'System.Diagnostics.DebuggableAttribute' || value.length < 4) continue;
    if (value.length >= 8) return (((value[3] ?? 0) << 8) & DISABLES) !== 0;
    return value[3] === 1;
  }
  return false;
}

/** II.23.1.15. */
const [VISIBILITY, PUBLIC, NESTED_PUBLIC, ABSTRACT] = [0x7, 0x1, 0x2, 0x80];
/** II.23.1.10. */
const [ACCESS, METHOD_PUBLIC, STATIC] = [0x7, 0x6, 0x10];

function typesOf(metadata: Metadata): TypeInfo[] {
  const { tables } = metadata;
  const outer = new Map<number, number>();
  for (let row = 1; row <= tables.rows('NestedClass'); row++)
    outer.set(tables.cell('NestedClass', row, 0), tables.cell('NestedClass', row, 1));
  const nameOf = (row: number, depth = 0): string => {
    const around = outer.get(row);
    const name = fullName(metadata, { table: 'TypeDef', row });
    return around === undefined || depth > 16 ? name : `${nameOf(around, depth + 1)}+${name}`;
  };
  const count = tables.rows('TypeDef');
  return Array.from({ length: count }, (_, i) => {
    const row = i + 1;
    const flags = tables.cell('TypeDef', row, 0);
    const visibility = flags & VISIBILITY;
    return {
      name: nameOf(row),
      isPublic: visibility === PUBLIC || visibility === NESTED_PUBLIC,
      isAbstract: (flags & ABSTRACT) !== 0,
      base: baseOf(metadata, row),
      methods: () => methodsOf(metadata, row),
    };
  });
}

function baseOf(metadata: Metadata, row: number): string {
  const base = metadata.reference('TypeDef', row, 3, 'TypeDefOrRef');
  return base === undefined || base.table === 'TypeSpec' ? '' : fullName(metadata, base);
}

function methodsOf(metadata: Metadata, type: number): MethodInfo[] {
  const { tables } = metadata;
  const first = tables.cell('TypeDef', type, 5);
  const isLast = type === tables.rows('TypeDef');
  const end = isLast ? tables.rows('MethodDef') + 1 : tables.cell('TypeDef', type + 1, 5);
  const methods: MethodInfo[] = [];
  for (let row = first; row < end; row++) {
    const flags = tables.cell('MethodDef', row, 2);
    methods.push({
      name: metadata.name('MethodDef', row, 3),
      isPublic: (flags & ACCESS) === METHOD_PUBLIC,
      isStatic: (flags & STATIC) !== 0,
      ...signatureOf(metadata, metadata.blob('MethodDef', row, 4)),
    });
  }
  return methods;
}
