/** Compiles a function in Go, with the modules that were locked and no others. */
import { existsSync, mkdirSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { baseOf, folderOf } from '../../base/paths';
import { escapedPath } from './go-sum';
import { cleanEnvironment, runCompiler } from '../../toolchains/run-compiler';
import type { CCompiler } from '../compiled/compile/c-compilers';
import type { Machine } from '../../toolchains/machine';
import type { CompileRequest as AnyCompileRequest, Compiled, Plan } from '../compiled/compiled-language';
import { chooseGo, type GoToolchain } from './toolchain';
import { findUpwards } from '../compiled/needs';
import { chooseCCompiler } from '../compiled/compile/choose-compiler';

type CompileRequest = AnyCompileRequest<'go'>;

const ARCHS = { x86_64: 'amd64', arm64: 'arm64' } as const;

/**
 * How Go is compiled: the call of the compiler, and what its output depends on.
 * @throws EmballageError TOOLCHAIN_MISSING
 */
export async function planGo(request: CompileRequest): Promise<Plan> {
  const go = await chooseGo(request);
  const { cgo, linkage, tags, flags, strip } = request.spec.byLanguage;
  const isStatic = linkage !== 'dynamic';
  const c = cgo
    ? await chooseCCompiler(request, { isStatic: linkage === 'static', isCxx: false, isLinker: true })
    : undefined;
  const external =
    c === undefined
      ? []
      : [
          '-linkmode=external',
          `-extldflags=${linkage === 'static' ? '-static ' : ''}-static-libgcc -Wl,--build-id=none`,
        ];
  const ldflags = ['-buildid=', ...(strip === 'none' ? [] : ['-w']), ...external];
  const args = [
    '-trimpath',
    '-buildvcs=false',
    `-ldflags=${ldflags.map((one) => (one.includes(' ') ? `'${one}'` : one)).join(' ')}`,
    ...(tags.length > 0 ? ['-tags', tags.join(',')] : []),
    ...flags,
  ];
  return {
    toolchains: [`go ${go.version}`, ...(c === undefined ? [] : [`${c.compiler} ${c.version}`])],
    identity: ['go', go.version, c === undefined ? null : [c.compiler, c.version], args, isStatic],
    run: () => compileGo(request, go, c, args),
  };
}

async function compileGo(
  request: CompileRequest,
  go: GoToolchain,
  c: CCompiler | undefined,
  args: readonly string[],
): Promise<Compiled> {
  const { spec, project, scratch, doing, shown } = request;
  const folder = join(project.root, spec.source);
  const env = await environment(request, go, c);
  const run = (more: readonly string[]): Promise<string> =>
    runCompiler({ program: go.path, args: more, cwd: folder, env, doing, shown, onCompiling: request.onCompiling });
  const output = join(scratch, 'linked');
  const target = targetOf(request);
  if (request.machine.variable('EMBALLAGE_ANEW') !== undefined) await forgetOwn(run, [...args, target]);
  await run(['build', '-v', ...args, '-o', output, target]);
  const format =
    '{{if not .Standard}}{{$d := .Dir}}{{range .GoFiles}}{{$d}}/{{.}}\n{{end}}{{range .CgoFiles}}{{$d}}/{{.}}\n{{end}}{{range .CFiles}}{{$d}}/{{.}}\n{{end}}{{range .HFiles}}{{$d}}/{{.}}\n{{end}}{{range .SFiles}}{{$d}}/{{.}}\n{{end}}{{range .EmbedFiles}}{{$d}}/{{.}}\n{{end}}{{end}}';
  const tags = args.indexOf('-tags');
  const listed = await run(['list', '-deps', ...(tags < 0 ? [] : args.slice(tags, tags + 2)), '-f', format, target]);
  const settings = ['go.mod', 'go.sum', 'go.work'].flatMap((name) => findUpwards(project, spec.source, name) ?? []);
  const read = [
    ...listed.split('\n').filter((line) => line !== ''),
    ...settings.map((path) => join(project.root, path)),
  ];
  return { executable: output, read };
}

/** Has the function’s own packages compiled although Go remembers them: what it kept of each is removed. */
async function forgetOwn(run: (more: readonly string[]) => Promise<string>, words: readonly string[]): Promise<void> {
  const format = '{{if not .Standard}}{{if or (not .Module) .Module.Main}}{{.Export}}{{end}}{{end}}';
  const kept = await run(['list', '-export', '-deps', '-f', format, ...words]);
  for (const path of kept.split('\n')) if (path.startsWith('/')) rmSync(path, { force: true });
}

/** A package where there is a module; a file by itself otherwise. */
function targetOf({ project, spec }: CompileRequest): string {
  if (spec.byLanguage.package !== undefined) return spec.byLanguage.package;
  const folder = folderOf(spec.entry.file);
  if (findUpwards(project, spec.source, 'go.mod') === undefined) return spec.entry.file;
  return folder === '' ? '.' : `./${folder}`;
}

async function environment(
  request: CompileRequest,
  go: GoToolchain,
  c: CCompiler | undefined,
): Promise<Record<string, string>> {
  const { project, spec, arch, scratch, machine, state } = request;
  const proxy = await moduleProxy(request);
  const work = findUpwards(project, spec.source, 'go.work');
  // Go splits flags at spaces that are not in quotes.
  const prefix = `"-ffile-prefix-map=${project.root}=." -O2 -g0`;
  return {
    ...cleanEnvironment(scratch, request),
    GOROOT: '',
    GOOS: 'linux',
    GOARCH: ARCHS[arch],
    GOENV: 'off',
    GOTOOLCHAIN: 'local',
    GOTELEMETRY: 'off',
    GOFLAGS: '-modcacherw',
    GOSUMDB: 'off',
    GONOSUMDB: '*',
    GOPROXY: proxy === undefined ? 'off' : pathToFileURL(proxy).href,
    GOPATH: join(state, 'gopath'),
    GOMODCACHE: join(state, 'modules'),
    GOCACHE: userCache(machine) ?? join(state, 'go-cache'),
    GOWORK: work === undefined ? 'off' : join(project.root, work),
    CGO_ENABLED: c === undefined ? '0' : '1',
    ...(c !== undefined && {
      CC: [c.path, ...c.args].join(' '),
      CGO_CFLAGS: prefix,
      CGO_CXXFLAGS: prefix,
      ...(c.cxx !== undefined && { CXX: c.cxx }),
    }),
    PATH: `${dirname(go.path)}:/usr/local/bin:/usr/bin:/bin`,
  };
}

/** Where Go’s compiler keeps what it compiled, by content: as the user says, or in the folder for such things; none for a home that is not there. */
function userCache({ variable, home }: Machine): string | undefined {
  const [own, caches] = [variable('GOCACHE'), variable('XDG_CACHE_HOME')];
  if (own?.startsWith('/') === true) return own;
  if (caches?.startsWith('/') === true) return join(caches, 'go-build');
  return existsSync(home) ? join(home, '.cache/go-build') : undefined;
}

/** A folder laid out as a module proxy (Go Modules Reference, "GOPROXY protocol") with what was locked. */
async function moduleProxy({ packages, fetched, scratch }: CompileRequest): Promise<string | undefined> {
  if (packages.length === 0) return undefined;
  const proxy = join(scratch, 'proxy');
  rmSync(proxy, { recursive: true, force: true });
  for (const { name, version, file, sha256 } of packages) {
    const folder = join(proxy, escapedPath(name), '@v');
    const stem = join(folder, escapedPath(version));
    mkdirSync(folder, { recursive: true });
    symlinkSync(await fetched(sha256, file), `${stem}.${baseOf(file).endsWith('.mod') ? 'mod' : 'zip'}`);
    if (!existsSync(`${stem}.info`)) writeFileSync(`${stem}.info`, JSON.stringify({ Version: version }));
  }
  return proxy;
}
