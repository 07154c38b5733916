/** Finds runtimes and the C library in the file system of an image, and their versions, without running anything. */
import type { ImageTree, TreeNode } from '../../formats/oci';

/** The files of an image. */
export interface ImageFiles {
  readonly tree: ImageTree;
  /** A stretch of a file's content. */
  read(node: TreeNode, at: number, length: number): Buffer;
}

export interface FoundRuntime {
  /** Absolute path in the image. */
  readonly program: string;
  /** As far as it can be read. */
  readonly version?: string;
}

/** Where programs are looked for when the image does not say. */
export const DEFAULT_PATH = '/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin';
const MAX_TEXT_BYTES = 64 * 1024 * 1024;
const STEP = 4 * 1024 * 1024;
/** Longer than anything that is looked for in a program. */
const OVERLAP = 256;

/** A program by one of its names, with links followed. @param first folders to look in before those of the search path */
export function findProgram(
  files: ImageFiles,
  env: readonly string[],
  names: readonly string[],
  first: readonly string[] = [],
): { readonly program: string; readonly real: RealFile } | undefined {
  for (const name of names)
    for (const folder of [...first, ...searchPath(env)]) {
      const program = `${folder}/${name}`;
      const real = files.tree.resolve(program);
      if (real?.node.head.kind === 'file' && (real.node.head.mode & 0o111) !== 0) return { program, real };
    }
  return undefined;
}

/** The value of a variable of an image's environment, `NAME=value` each. */
export function valueIn(env: readonly string[], name: string): string | undefined {
  return env.find((one) => one.startsWith(`${name}=`))?.slice(name.length + 1);
}

/** Folders in which programs are looked for. */
export function searchPath(env: readonly string[]): string[] {
  const path = valueIn(env, 'PATH') ?? DEFAULT_PATH;
  return path.split(':').filter((folder) => folder.startsWith('/'));
}

export type RealFile = NonNullable<ReturnType<ImageTree['resolve']>>;

/** What Debian's package manager has recorded (dpkg(1)). */
export function packageVersion(files: ImageFiles, name: string): string | undefined {
  const status = textOf(files, 'var/lib/dpkg/status') ?? textOf(files, `var/lib/dpkg/status.d/${name}`);
  const stanza = status?.split('\n\n').find((one) => one.startsWith(`Package: ${name}\n`));
  return /^Version: (?:\d+:)?(\d+\.\d+(?:\.\d+)?)/m.exec(stanza ?? '')?.[1];
}

export interface FoundLibc {
  readonly kind: 'glibc' | 'musl';
  /** `2.36`. */
  readonly version?: string;
}

const LIBC_FOLDERS = ['x86_64-linux-gnu', 'aarch64-linux-gnu'].flatMap((name) => [`lib/${name}`, `usr/lib/${name}`]);
const OTHER_FOLDERS = ['lib64', 'usr/lib64', 'lib', 'usr/lib'];

/** The C library in an image, with its version where it says one; undefined where there is none that is known. */
export function findLibc(files: ImageFiles): FoundLibc | undefined {
  for (const folder of [...LIBC_FOLDERS, ...OTHER_FOLDERS]) {
    const real = files.tree.resolve(`${folder}/libc.so.6`);
    if (real?.node.head.kind !== 'file') continue;
    const version = search(files, real.node, /GNU C Library [^\n]{0,80}version (\d+\.\d+)/);
    return { kind: 'glibc', ...(version !== undefined && { version }) };
  }
  const names = [...(files.tree.resolve('lib')?.node.children?.keys() ?? [])];
  return names.some((name) => /^ld-musl-.*\.so\.1$/.test(name)) ? { kind: 'musl' } : undefined;
}

/** The text of a file; links are followed. */
export function textOf(files: ImageFiles, path: string): string | undefined {
  const real = files.tree.resolve(path);
  if (real?.node.head.kind !== 'file' || real.node.head.size > MAX_TEXT_BYTES) return undefined;
  return files.read(real.node, 0, real.node.head.size).toString('utf8');
}

/** The first group of a pattern in a file of any size. */
export function search(files: ImageFiles, node: TreeNode, pattern: RegExp): string | undefined {
  const { size } = node.head;
  for (let at = 0; at < size; at += STEP) {
    const bytes = files.read(node, at, Math.min(STEP + OVERLAP, size - at));
    const [, found] = pattern.exec(bytes.toString('latin1')) ?? [];
    if (found !== undefined) return found;
  }
  return undefined;
}
