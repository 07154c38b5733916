/** Finds runtimes and the C library in the file system of an image, and their versions, without running anything. */
import type { ImageTree, TreeNode } from '../formats/oci';

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

const PROGRAMS: Readonly<Record<string, (version: string) => readonly string[]>> = {
  node: () => ['node', 'nodejs'],
  python: (version) => [`python${version}`, 'python3', 'python'],
  java: () => ['java'],
};

/** @param env of the image’s configuration, `NAME=value` each */
export function findRuntime(
  files: ImageFiles,
  env: readonly string[],
  { language, version }: { readonly language: string; readonly version: string },
): FoundRuntime | undefined {
  const valueOf = (name: string): string | undefined =>
    env.find((one) => one.startsWith(`${name}=`))?.slice(name.length + 1);
  const home = valueOf('JAVA_HOME');
  const folders = [...(language === 'java' && home !== undefined ? [`${home}/bin`] : []), ...searchPath(env)];
  for (const name of PROGRAMS[language]?.(version) ?? [])
    for (const folder of folders) {
      const program = `${folder}/${name}`;
      const real = files.tree.resolve(program);
      if (real?.node.head.kind !== 'file' || (real.node.head.mode & 0o111) === 0) continue;
      const found = versionOf(files, language, real);
      return { program, ...(found !== undefined && { version: found }) };
    }
  return undefined;
}

/** Folders in which programs are looked for. */
export function searchPath(env: readonly string[]): string[] {
  const path = env.find((one) => one.startsWith('PATH='))?.slice('PATH='.length) ?? DEFAULT_PATH;
  return path.split(':').filter((folder) => folder.startsWith('/'));
}

type Real = NonNullable<ReturnType<ImageTree['resolve']>>;

function versionOf(files: ImageFiles, language: string, real: Real): string | undefined {
  if (language === 'java') {
    const home = real.path.replace(/\/(?:jre\/)?bin\/[^/]+$/, '');
    return /^JAVA_VERSION="([^"]+)"/m.exec(textOf(files, `${home}/release`) ?? '')?.[1];
  }
  if (language === 'node')
    // Every Node.js knows where its own headers are published; Debian's is known by its package.
    return search(files, real.node, /node-v(\d+\.\d+\.\d+)/) ?? packageVersion(files, 'nodejs');
  const short = /python(\d+\.\d+)$/.exec(real.path)?.[1];
  if (short === undefined) return undefined;
  const folder = real.path.replace(/\/?bin\/[^/]+$/, '');
  const header = textOf(files, `${folder}/include/python${short}/patchlevel.h`);
  const full = /PY_VERSION\s+"(\d+\.\d+\.\d+)/.exec(header ?? '')?.[1];
  return full ?? packageVersion(files, `python${short}-minimal`) ?? short;
}

/** What Debian's package manager has recorded (dpkg(1)). */
function packageVersion(files: ImageFiles, name: string): string | undefined {
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
function search(files: ImageFiles, node: TreeNode, pattern: RegExp): string | undefined {
  const { size } = node.head;
  for (let at = 0; at < size; at += STEP) {
    const bytes = files.read(node, at, Math.min(STEP + OVERLAP, size - at));
    const [, found] = pattern.exec(bytes.toString('latin1')) ?? [];
    if (found !== undefined) return found;
  }
  return undefined;
}
