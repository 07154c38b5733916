/** What rules about images share. */
import type { OpenImage } from '../disk/unpack/open-image';
import { MACHINES } from '../formats/elf';
import { archOfPlatform, type TreeNode } from '../formats/oci';
import { findLibc, searchPath, textOf, type FoundLibc } from '../disk/unpack/in-image';
import type { FunctionFacts, Subject } from './rule';

const libcs = new WeakMap<OpenImage, FoundLibc | { readonly kind: 'none' }>();

/** The C library in an image, read once. */
export function imageLibc(image: OpenImage): FoundLibc | undefined {
  const known = libcs.get(image) ?? findLibc(image) ?? { kind: 'none' as const };
  libcs.set(image, known);
  return known.kind === 'none' ? undefined : known;
}

const SYSTEM_FOLDERS = [
  ...['lib/x86_64-linux-gnu', 'usr/lib/x86_64-linux-gnu', 'lib/aarch64-linux-gnu', 'usr/lib/aarch64-linux-gnu'],
  ...['lib64', 'usr/lib64', 'lib', 'usr/lib', 'usr/local/lib'],
];

/** Whether the loader finds a library in the folders of the system (ld.so(8)). */
export function hasLibrary(image: OpenImage, name: string): boolean {
  const configured = image.tree.resolve('etc/ld.so.conf.d')?.node.children?.keys() ?? [];
  const added = [...configured].flatMap((file) => (textOf(image, `etc/ld.so.conf.d/${file}`) ?? '').split('\n'));
  return [...SYSTEM_FOLDERS, ...added.map((line) => line.trim().replace(/^\//, ''))].some(
    (folder) => image.tree.resolve(`${folder}/${name}`)?.node.head.kind === 'file',
  );
}

/** How many of the lower layers are those of the base; undefined where nothing says. */
export function baseLayers({ waybill }: FunctionFacts): number | undefined {
  return waybill?.image === undefined ? undefined : (waybill.image.base?.layers.length ?? 0);
}

/** How a layer is called: by its name in the waybill, or by its place. */
export function layerName({ waybill }: FunctionFacts, i: number): string {
  const base = baseLayers({ ...(waybill !== undefined && { waybill }) });
  if (base === undefined) return `layer ${String(i + 1)}`;
  return i < base
    ? `layer ${String(i + 1)} (base)`
    : (waybill?.image?.layers[i - base]?.name ?? `layer ${String(i + 1)}`);
}

/** What processor a compiled file in an image is for; undefined for other files and for what is not run. */
export function machineOf(image: OpenImage, node: TreeNode): string | undefined {
  if (node.head.kind !== 'file' || node.head.size < 64) return undefined;
  const start = image.elfStart(node);
  // ELF-64 Object File Format, table 1 and 2: the magic, the class, the type (2 a program, 3 a shared object), the machine.
  if (start === undefined || ![2, 3].includes(start.readUInt16LE(16))) return undefined;
  const machine = start.readUInt16LE(18);
  return MACHINES[machine] ?? `machine ${String(machine)}`;
}

/** The processor that an image says it is for. */
export function imageArch({ config }: OpenImage): string {
  return archOfPlatform(config.architecture) ?? config.architecture;
}

/** What starts an image: command, and the file that it names. */
export interface Started {
  readonly command: readonly string[];
  /** The path that was found, links followed. */
  readonly found: { readonly path: string; readonly node: TreeNode } | undefined;
}

/**
 * The command of an image, with the file that its first word leads to (OCI image specification 1.1, `Entrypoint` and `Cmd`).
 */
export function startedBy(image: OpenImage): Started {
  const { entrypoint, cmd } = image.config.run;
  const command = [...entrypoint, ...cmd];
  const [program] = command;
  if (program === undefined) return { command, found: undefined };
  const found = program.includes('/')
    ? fileAt(image, program.startsWith('/') ? program : `${image.config.run.workingDir}/${program}`)
    : onSearchPath(image, program);
  return { command, found };
}

function fileAt({ tree }: OpenImage, path: string): Started['found'] {
  const found = tree.resolve(path);
  return found?.node.head.kind === 'file' ? found : undefined;
}

/** The first file of a name in the folders where programs are looked for; whether it may be executed is not asked. */
export function onSearchPath(image: OpenImage, name: string): Started['found'] {
  for (const folder of searchPath(image.config.run.env)) {
    const found = fileAt(image, `${folder}/${name}`);
    if (found !== undefined) return found;
  }
  return undefined;
}

/** Who runs an image, as numbers; what its own lists do not know is undefined (image-spec 1.1, `config.User`). */
export interface ImageUser {
  readonly uid: number | undefined;
  /** Undefined where nothing says; the system then takes group 0. */
  readonly gid: number | undefined;
  /** A group that is named and not known. */
  readonly isGroupUnknown: boolean;
}

/** By number, or by name in the image’s own lists of users and groups. */
export function userOf(image: OpenImage): ImageUser {
  const [user = '', group] = image.config.run.user.split(':');
  const number = (text: string | undefined): number | undefined =>
    text !== undefined && /^\d+$/.test(text) ? Number(text) : undefined;
  const entry = (file: string, key: string): string[] | undefined =>
    (textOf(image, file) ?? '')
      .split('\n')
      .map((line) => line.split(':'))
      .find(([name, , id]) => name === key || id === key);
  const found = entry('etc/passwd', user);
  const uid = number(user) ?? number(found?.[2]) ?? (user === '' ? 0 : undefined);
  const gid = group === undefined ? number(found?.[3]) : (number(group) ?? number(entry('etc/group', group)?.[2]));
  return { uid, gid, isGroupUnknown: group !== undefined && gid === undefined };
}

/** Bytes of an image as it is sent: its layers, each once, and its documents. */
export function sentBytes({ manifest, manifestBytes }: OpenImage): number {
  const blobs = new Map([manifest.config, ...manifest.layers].map(({ digest, size }) => [digest, size]));
  return manifestBytes.length + [...blobs.values()].reduce((sum, size) => sum + size, 0);
}

/** Where the function’s files lie in an image, links followed; empty where it has no working folder. */
export function workingFolder({ config, tree }: OpenImage): string {
  return tree.resolve(config.run.workingDir)?.path ?? '';
}

/** Whether a subject is an image that has no working folder, so that it is seen from its root, with its whole system. */
export function isSeenWhole({ image }: Subject): boolean {
  return image !== undefined && workingFolder(image) === '';
}

/** The image of a subject, for rules that are about nothing else. */
export function imageOf({ image }: Subject): OpenImage {
  if (image === undefined) throw new Error('no image');
  return image;
}
