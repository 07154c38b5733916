/**
 * A base from this machine: a runtime's program, the shared libraries that it needs, certificates and time zone data, and
 * nothing else. What lies there is copied as it is; where it lies is always the same.
 */
import { existsSync, lstatSync, readdirSync, realpathSync, statSync, type Stats } from 'node:fs';
import { basename, dirname, join } from 'node:path';
import { EmballageError } from '../../../base/errors';
import { comparePaths, foldersAbove } from '../../../base/paths';
import { listed, printable } from '../../../base/text';
import { filePieces, withFileSource } from '../../../disk/file-source';
import { stampOf } from '../../../disk/stamp';
import { SEGMENT_BYTES } from '../../../formats/deflate';
import { isElf } from '../../../formats/elf';
import type { LayerEntry } from '../layer';
import { workOf, type RuntimeFiles } from '../../../languages';
import type { Arch, FunctionSpec } from '../../../sheet';
import { findEmulators } from '../../../toolchains/emulator';
import { libraryClosure } from '../../../toolchains/library-closure';
import type { Machine } from '../../../toolchains/machine';

export interface RuntimeLayer {
  /** What it is made from: `node 20.20.2 of this machine`. */
  readonly from: string;
  readonly entries: readonly LayerEntry[];
  /** What the configuration says: where programs are. */
  readonly env: readonly string[];
}

/** Files by their path in the image. */
type Files = Map<string, LayerEntry>;

/**
 * What packages count on wherever they are unpacked, whether the runtime itself needs it or not: the C library with the
 * parts it had once, the compilers' libraries (PEP 513, 571 and 599, the libraries of each policy), and compression.
 */
const COUNTED_ON = [
  ...['libc.so.6', 'libm.so.6', 'libdl.so.2', 'libpthread.so.0', 'librt.so.1', 'libutil.so.1', 'libresolv.so.2'],
  ...['libgcc_s.so.1', 'libstdc++.so.6', 'libz.so.1'],
];
const CERTIFICATES = 'etc/ssl/certs/ca-certificates.crt';
const ZONES = 'usr/share/zoneinfo';
/** What an image needs to name who runs in it, and to look up names of hosts. */
const SMALL_FILES: Readonly<Record<string, string>> = {
  'etc/passwd': 'root:x:0:0:root:/:/sbin/nologin\nnobody:x:65534:65534:nobody:/:/sbin/nologin\n',
  'etc/group': 'root:x:0:\nnogroup:x:65534:\n',
  'etc/nsswitch.conf': 'passwd: files\ngroup: files\nhosts: files dns\n',
};

/** @throws EmballageError TOOLCHAIN_MISSING where this machine does not have it for that architecture */
export async function runtimeLayer(
  runtime: string,
  spec: FunctionSpec,
  arch: Arch,
  machine: Machine,
): Promise<RuntimeLayer> {
  const sysroot = sysrootFor(runtime, arch, machine);
  const files: Files = new Map();
  const found: RuntimeFiles =
    runtime === 'libc' ? { from: `the C library for ${arch} of this machine` } : await locate(spec, machine);
  const { program, folder, optional, env: own = [] } = found;
  const roots: string[] = [];
  if (folder !== undefined)
    roots.push(...(await addFolder(files, ...folder)).filter((path) => optional?.test(path) !== true));
  if (program !== undefined) {
    addFile(files, program[0], program[1]);
    roots.push(program[1]);
  }
  addLibraries(files, roots, sysroot, folder);
  addData(files);
  const env = ['PATH=/usr/local/bin:/usr/bin:/bin', ...own];
  return { from: found.from, entries: withFolders(files), env };
}

function sysrootFor(runtime: string, arch: Arch, machine: Machine): string {
  if (arch === machine.arch) return '';
  const sysroot = findEmulators(machine.searchPath).find((one) => one.arch === arch)?.sysroot;
  if (runtime === 'libc' && sysroot !== undefined) return sysroot;
  throw new EmballageError('TOOLCHAIN_MISSING', {
    doing: 'making the base of an image',
    expected: runtime === 'libc' ? `the C library of ${arch}` : `${runtime} for ${arch} on this machine`,
    found: runtime === 'libc' ? 'none here' : `a machine for ${machine.arch}`,
    mend:
      runtime === 'libc'
        ? 'install the C library of that processor, such as Debian’s `libc6-arm64-cross`'
        : `name a base that is there for ${arch}: \`base: { image: … }\`, \`{ layout: … }\` or \`{ root: … }\``,
  });
}

async function locate(spec: FunctionSpec, machine: Machine): Promise<RuntimeFiles> {
  const { run } = await workOf(spec);
  const found = await run.image.base(machine, spec);
  if (found !== undefined) return found;
  throw new EmballageError('TOOLCHAIN_MISSING', {
    doing: 'making the base of an image',
    expected: `${spec.runtime.text} on this machine, with its library`,
    found: 'none',
    mend: 'install it, or name a base that brings it: `base: { image: … }`',
  });
}

/** @returns the compiled files in it */
async function addFolder(files: Files, place: string, folder: string, leaveOut: RegExp): Promise<string[]> {
  const compiled: string[] = [];
  const visit = async (path: string): Promise<void> => {
    for (const name of readdirSync(join(folder, path)).sort(comparePaths)) {
      const below = path === '' ? name : `${path}/${name}`;
      if (leaveOut.test(below)) continue;
      const source = join(folder, below);
      // Distributions keep some of it elsewhere, behind links.
      const stat = statSync(source, { throwIfNoEntry: false });
      if (stat?.isDirectory() === true) await visit(below);
      else if (stat?.isFile() === true) {
        addFile(files, `${place}/${below}`, realpathSync(source));
        if (await isCompiled(source, stat)) compiled.push(realpathSync(source));
      }
    }
  };
  await visit('');
  return compiled;
}

async function isCompiled(path: string, { size }: Stats): Promise<boolean> {
  return size > 64 && (await withFileSource(path, path, (source) => isElf(source.read(0, 64))));
}

function addLibraries(files: Files, roots: readonly string[], sysroot: string, folder: RuntimeFiles['folder']): void {
  const named = namedLibraries(sysroot);
  const own = folder === undefined ? [] : [folder[1], join(folder[1], 'lib'), join(folder[1], 'lib/server')];
  const { libraries, loader, missing } = libraryClosure({ files: [...roots, ...named], sysroot, folders: own });
  if (missing.length > 0)
    throw new EmballageError('TOOLCHAIN_MISSING', {
      doing: 'making the base of an image',
      expected: 'every library that the runtime needs',
      found: `nothing of ${listed([...new Set(missing.map(({ name }) => printable(name)))])}`,
      mend: 'mend the installation of the runtime, or name a base that brings it',
    });
  const libc =
    libraries.find(({ name }) => name === 'libc.so.6')?.path ?? named.find((path) => path.endsWith('libc.so.6'));
  // Where the loader looks first: beside the C library.
  const place =
    libc === undefined
      ? 'lib'
      : dirname(libc)
          .slice(sysroot.length)
          .replace(/^\/(?:usr\/)?/, 'usr/');
  for (const { name, path } of libraries) {
    const isOwn = folder !== undefined && path.startsWith(`${folder[1]}/`);
    if (!isOwn) addFile(files, `${place}/${name}`, path);
  }
  for (const path of named) addFile(files, `${place}/${basename(path)}`, realpathSync(path));
  const loading = loader ?? loaderIn(sysroot);
  if (loading === undefined) return;
  addFile(files, `${place}/${basename(loading.name)}`, loading.path);
  const at = loading.name.slice(1);
  if (at !== `${place}/${basename(loading.name)}`)
    files.set(at, { path: at, kind: 'link', mode: 0o777, target: `/${place}/${basename(loading.name)}` });
  // Names in the folders that older systems have.
  if (place.startsWith('usr/lib/'))
    files.set(place.slice('usr/'.length), {
      path: place.slice('usr/'.length),
      kind: 'link',
      mode: 0o777,
      target: `/${place}`,
    });
}

function namedLibraries(sysroot: string): string[] {
  const folders = [
    'lib/x86_64-linux-gnu',
    'lib/aarch64-linux-gnu',
    'usr/lib/x86_64-linux-gnu',
    'usr/lib/aarch64-linux-gnu',
    'lib',
    'lib64',
  ];
  return COUNTED_ON.flatMap((name) => {
    const found = folders
      .map((folder) => join(sysroot === '' ? '/' : sysroot, folder, name))
      .find((path) => existsSync(path));
    return found ?? [];
  });
}

/** A loader by the names that the psABIs of the processors give it. */
function loaderIn(sysroot: string): { name: string; path: string } | undefined {
  for (const name of ['/lib64/ld-linux-x86-64.so.2', '/lib/ld-linux-aarch64.so.1']) {
    const path = join(sysroot === '' ? '/' : sysroot, name);
    if (existsSync(path)) return { name, path: realpathSync(path) };
  }
  return undefined;
}

function addData(files: Files): void {
  for (const [path, text] of Object.entries(SMALL_FILES)) {
    const bytes = Buffer.from(text);
    files.set(path, { path, kind: 'file', mode: 0o644, size: bytes.length, content: () => [bytes] });
  }
  if (existsSync(`/${CERTIFICATES}`)) addFile(files, CERTIFICATES, realpathSync(`/${CERTIFICATES}`));
  if (existsSync(`/${ZONES}`)) addZones(files, '');
  files.set('tmp', { path: 'tmp', kind: 'folder', mode: 0o1777 });
}

function addZones(files: Files, path: string): void {
  for (const name of readdirSync(join('/', ZONES, path))) {
    const below = path === '' ? name : `${path}/${name}`;
    const source = join('/', ZONES, below);
    const stat = statSync(source, { throwIfNoEntry: false });
    // The same again in other forms, and links to what the machine itself uses.
    if (stat === undefined || /^(?:posix|right|localtime|posixrules)$/.test(below)) continue;
    if (stat.isDirectory()) addZones(files, below);
    else if (stat.isFile()) addFile(files, `${ZONES}/${below}`, realpathSync(source));
  }
}

function addFile(files: Files, path: string, source: string): void {
  const stat = lstatSync(source);
  const mode = (stat.mode & 0o111) !== 0 ? 0o755 : 0o644;
  const content = (): Iterable<Uint8Array> => filePieces(source, source, stampOf(stat), SEGMENT_BYTES);
  files.set(path, { path, kind: 'file', mode, size: stat.size, content });
}

/** Everything in order, with the folders that it lies in. */
function withFolders(files: Files): LayerEntry[] {
  for (const path of foldersAbove(files.keys()))
    if (!files.has(path)) files.set(path, { path, kind: 'folder', mode: 0o755 });
  return [...files.values()].sort((a, b) => comparePaths(a.path, b.path));
}
