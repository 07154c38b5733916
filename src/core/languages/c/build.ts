/** Compiles a function in C or C++: every file by itself, then one link, in fixed order. */
import { existsSync, mkdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import picomatch from 'picomatch';
import { EmballageError } from '../../base/errors';
import { listed } from '../../base/text';
import { ARCHITECTURES, type Arch } from '../../sheet';
import { readDepFile } from '../compiled/compile/dep-file';
import type { CompileRequest as AnyCompileRequest, Compiled, Plan } from '../compiled/compiled-language';
import { cleanEnvironment, runCompiler } from '../../toolchains/run-compiler';
import type { CCompiler } from '../compiled/compile/c-compilers';
import { chooseCCompiler } from '../compiled/compile/choose-compiler';

type CompileRequest = AnyCompileRequest<'c'>;

const COMPILE = ['-O2', '-ffunction-sections', '-fdata-sections', '-fno-ident', '-g0'];
const LINK = ['-Wl,--gc-sections', '-Wl,--build-id=none', '-Wl,-z,relro', '-Wl,-z,now', '-Wl,--sort-common'];

/**
 * How C is compiled: which calls of the compiler, and what their output depends on.
 * @throws EmballageError TOOLCHAIN_MISSING
 */
export async function planC(request: CompileRequest): Promise<Plan> {
  const sources = sourcesOf(request);
  const hasCxx = sources.some(isCxx);
  const isStatic = request.spec.byLanguage.linkage === 'static';
  const compiler = await chooseCCompiler(request, { isStatic, isCxx: hasCxx, isLinker: false });
  const { flags, libraries } = request.spec.byLanguage;
  const link = [
    ...LINK,
    // What the host need not have is linked in.
    ...(isStatic ? ['-static'] : ['-static-libgcc', ...(hasCxx ? ['-static-libstdc++'] : [])]),
    ...libraries.map((name) => `-l${name}`),
  ];
  return {
    toolchains: [`${compiler.compiler} ${compiler.version}`],
    identity: [compiler.compiler, compiler.version, compiler.args, sources, COMPILE, flags, link],
    run: () => compileC(request, { compiler, sources, hasCxx, link }),
  };
}

function sourcesOf({ spec, files, arch }: CompileRequest): string[] {
  const all = files.map(({ path }) => path).filter((path) => isSource(path) && !isForOther(path, arch));
  const patterns = spec.byLanguage.sources;
  const chosen = patterns.length === 0 ? all : all.filter((path) => picomatch.isMatch(path, [...patterns]));
  const sources = [...new Set([...chosen, spec.entry.file])].sort();
  const unused = patterns.find((pattern) => !all.some((path) => picomatch.isMatch(path, pattern)));
  if (unused === undefined && all.includes(spec.entry.file)) return sources;
  throw new EmballageError('SOURCE_UNPACKABLE', {
    doing: `compiling ${spec.name}`,
    where: spec.source,
    expected: unused === undefined ? `the entry \`${spec.entry.file}\`` : `C files that match \`${unused}\``,
    found: all.length === 0 ? 'no C file at all' : `only ${listed(all.slice(0, 8))}`,
    mend: unused === undefined ? 'correct `entry`' : 'correct `build.sources`',
  });
}

async function compileC(
  request: CompileRequest,
  {
    compiler,
    sources,
    hasCxx,
    link,
  }: {
    readonly compiler: CCompiler;
    readonly sources: readonly string[];
    readonly hasCxx: boolean;
    readonly link: readonly string[];
  },
): Promise<Compiled> {
  const { spec, project, scratch, doing, shown } = request;
  const folder = join(project.root, spec.source);
  const env = cleanEnvironment(scratch, request);
  const objects = sources.map((_, i) => join(scratch, `${String(i).padStart(4, '0')}.o`));
  const include = existsSync(join(folder, 'include')) ? ['-I', 'include'] : [];
  const open = sources.map((source, i) => ({ source, object: objects[i] ?? '' }));
  const work = async (): Promise<void> => {
    for (let next = open.shift(); next !== undefined; next = open.shift()) {
      const program = isCxx(next.source) ? (compiler.cxx ?? compiler.path) : compiler.path;
      const args = [
        ...compiler.args,
        ...COMPILE,
        `-ffile-prefix-map=${project.root}=.`,
        ...(compiler.compiler === 'gcc' ? [`-frandom-seed=${next.source}`] : []),
        ...['-I', '.', ...include],
        ...(isAssembly(next.source) ? ['-Wa,--noexecstack'] : []),
        ...spec.byLanguage.flags,
        ...['-MD', '-MF', `${next.object}.d`, '-c', next.source, '-o', next.object],
      ];
      request.onCompiling(next.source);
      await runCompiler({ program, args, cwd: folder, env, doing, shown });
    }
  };
  await Promise.all(Array.from({ length: Math.max(1, Math.min(request.jobs, open.length)) }, work));
  const output = join(scratch, 'linked');
  const program = hasCxx ? (compiler.cxx ?? compiler.path) : compiler.path;
  mkdirSync(scratch, { recursive: true });
  // Objects are named without their folder, which differs from machine to machine.
  const names = objects.map((path) => path.slice(scratch.length + 1));
  const args = [...compiler.args, ...names, '-o', output, ...link];
  await runCompiler({ program, args, cwd: scratch, env, doing, shown });
  // What the preprocessor does not see has no list: it is the file itself.
  const read = objects.flatMap((object, i) =>
    existsSync(`${object}.d`) ? readDepFile(readFileSync(`${object}.d`, 'utf8')) : [sources[i] ?? ''],
  );
  return { executable: output, read: read.map((path) => (path.startsWith('/') ? path : join(folder, path))) };
}

function isSource(path: string): boolean {
  return /\.(?:c|cc|cpp|cxx|C)$/.test(path) || isAssembly(path);
}

function isAssembly(path: string): boolean {
  return /\.[sS]$/.test(path);
}

const PROCESSORS: Readonly<Record<Arch, RegExp>> = { x86_64: /x86[_-]?64|amd64|x64/i, arm64: /arm64|aarch64/i };

/** Assembly is for one processor, and its name or folder says which. */
function isForOther(path: string, arch: Arch): boolean {
  if (!isAssembly(path) || PROCESSORS[arch].test(path)) return false;
  return ARCHITECTURES.some((one) => one !== arch && PROCESSORS[one].test(path));
}

function isCxx(path: string): boolean {
  return /\.(?:cc|cpp|cxx|C)$/.test(path);
}
