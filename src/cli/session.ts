/** One run of the program: what it was asked for everywhere, where it writes, what time it is. */
import { existsSync } from 'node:fs';
import { arch, availableParallelism } from 'node:os';
import { join } from 'node:path';
import { EmballageError } from '../core/base/errors';
import { present } from '../core/base/present';
import { openProject, SHEET_NAME } from '../core/project/open-project';
import { stateFolder, type Project } from '../core/project/targets';
import type { HttpClient } from '../core/sources';
import type { RegistryConnection } from '../core/sources/registry';
import type { Machine, NativeToolchains } from '../core/toolchains/machine';
import type { JavaRuntime } from '../core/languages/jvm/run/machines';
import type { PythonRuntime } from '../core/languages/python/run/interpreters';
import { programName, TOOL } from './program';
import { makePaint, type Paint } from './views/paint';
import { Progress } from './views/progress';

export interface SessionOptions {
  readonly sheet?: string;
  readonly json: boolean;
  readonly quiet: boolean;
  readonly verbose: boolean;
  readonly offline: boolean;
  readonly color: boolean;
  readonly jobs?: number;
}

export class Session {
  readonly json: boolean;
  readonly quiet: boolean;
  readonly verbose: boolean;
  readonly offline: boolean;
  readonly jobs: number;
  readonly paint: Paint;
  readonly progress: Progress;
  readonly cwd = process.cwd();
  readonly #sheet: string | undefined;
  readonly #registries = new Map<string, RegistryConnection>();
  #natives: Promise<NativeToolchains> | undefined;

  constructor(options: SessionOptions) {
    this.json = options.json;
    this.quiet = options.quiet;
    this.verbose = options.verbose;
    this.offline = options.offline;
    this.#sheet = options.sheet;
    this.jobs = options.jobs ?? availableParallelism();
    this.paint = makePaint(options.color);
    this.progress = new Progress(process.stderr, !options.quiet && !options.json);
  }

  /** Milliseconds since 1970. */
  now(): number {
    return Date.now();
  }

  /** `2026-11-24`, UTC. */
  today(): string {
    return new Date(this.now()).toISOString().slice(0, 10);
  }

  /** The project of `--sheet`, or of the folder the command runs in. */
  openProject(): Promise<Project> {
    return openProject(this.#sheet ?? SHEET_NAME, this.cwd, TOOL);
  }

  /** HTTP for package sources; with `--offline` only what was fetched before. */
  async http(project: Project): Promise<HttpClient> {
    const [{ HttpClient: Client }, { systemCredentials, systemNetwork }] = await Promise.all([
      import('../core/sources'),
      import('./network'),
    ]);
    return new Client({
      network: this.offline ? undefined : systemNetwork(),
      credentials: systemCredentials(),
      cacheFolder: join(stateFolder(project), 'http'),
    });
  }

  /** A registry; with `--offline` it can be asked nothing. */
  async registry(host: string, plainHttp: boolean): Promise<RegistryConnection> {
    const [{ RegistryConnection: Connection, readAuthFiles }, { registryAuthFiles, transferNetwork }] =
      await Promise.all([import('../core/sources/registry'), import('./network')]);
    const key = `${host} ${String(plainHttp)}`;
    const known = this.#registries.get(key);
    if (known !== undefined) return known;
    const network = this.offline ? undefined : transferNetwork();
    const made = new Connection({ host, plainHttp, network, logins: readAuthFiles(registryAuthFiles()) });
    this.#registries.set(key, made);
    return made;
  }

  /** The Python interpreters on the PATH. */
  async pythons(): Promise<readonly PythonRuntime[]> {
    const { findPythonRuntimes } = await import('../core/languages/python/run/interpreters');
    return findPythonRuntimes(process.env.PATH ?? '');
  }

  /** The Java machines on the PATH, that of JAVA_HOME, and those that Debian installs. */
  async javas(): Promise<readonly JavaRuntime[]> {
    const { findJavaRuntimes, installedHomes } = await import('../core/languages/jvm/run/machines');
    const own = process.env.JAVA_HOME;
    return findJavaRuntimes(process.env.PATH ?? '', [...(own === undefined ? [] : [own]), ...installedHomes()]);
  }

  /** The compilers of native code on the PATH. */
  async natives(): Promise<NativeToolchains> {
    const [{ findRust }, { findGo }, { findCCompilers }] = await Promise.all([
      import('../core/languages/rust/toolchain'),
      import('../core/languages/go/toolchain'),
      import('../core/languages/compiled/c-compilers'),
    ]);
    const path = process.env.PATH ?? '';
    this.#natives ??= Promise.all([findRust(path), findGo(path), findCCompilers(path)]).then(([rust, go, c]) => ({
      ...{ rust, go, c },
    }));
    return this.#natives;
  }

  /** This machine, for what has to run on it. */
  async machine(): Promise<Machine> {
    const { mavenSurroundings, npmSurroundings } = await import('./network');
    const { header } = process.report.getReport() as { header: { glibcVersionRuntime?: string } };
    return {
      arch: arch() === 'arm64' ? 'arm64' : 'x86_64',
      ...(header.glibcVersionRuntime !== undefined && { glibc: header.glibcVersionRuntime }),
      searchPath: process.env.PATH ?? '',
      npm: npmSurroundings(),
      maven: mavenSurroundings(),
      nodes: async () => (await import('./commands/toolchains')).findNodes(),
      pythons: () => this.pythons(),
      javas: () => this.javas(),
      natives: () => this.natives(),
      ...present({ goCache: goCache() }),
    };
  }

  /** Seconds since 1970 that SOURCE_DATE_EPOCH asks for. */
  epochSeconds(): number | undefined {
    const value = process.env.SOURCE_DATE_EPOCH;
    if (value === undefined || value === '') return undefined;
    if (/^\d{1,12}$/.test(value)) return Number(value);
    throw new EmballageError('USAGE', {
      doing: 'reading the environment',
      where: 'SOURCE_DATE_EPOCH',
      expected: 'whole seconds since 1970',
      found: `\`${value}\``,
      mend: 'correct or unset SOURCE_DATE_EPOCH',
    });
  }

  /** Text for people, on standard output; nothing with `--json`. */
  say(text: string): void {
    if (this.json) return;
    this.progress.clear();
    process.stdout.write(`${text}\n`);
  }

  /** Like `say`, but left out with `--quiet`. */
  tell(text: string): void {
    if (!this.quiet) this.say(text);
  }

  /** The one JSON document of `--json`. */
  document(value: unknown): void {
    if (this.json) process.stdout.write(`${JSON.stringify(value, null, 2)}\n`);
  }

  /** A remark on standard error. */
  remark(text: string): void {
    if (this.quiet) return;
    this.progress.clear();
    process.stderr.write(`${text}\n`);
  }

  /** What to do next, the last line of every command. `args` come after the program's name; `to` as in "to call it". */
  next(args: string, to: string): void {
    this.tell(`\n${this.paint.dim(`Next, to ${to}:`)} ${this.paint.bold(this.command(args))}`);
  }

  /** A command as a person would type it now, for the same sheet. */
  command(args: string): string {
    const sheet = this.#sheet === undefined ? '' : ` --sheet ${shellWord(this.#sheet)}`;
    return `${programName()} ${args}${sheet}`;
  }
}

/** Where Go’s compiler keeps what it compiled: as the user says, or in the folder for such things; none for a home that is not there. */
function goCache(): string | undefined {
  const { GOCACHE, XDG_CACHE_HOME, HOME } = process.env;
  if (GOCACHE?.startsWith('/') === true) return GOCACHE;
  if (XDG_CACHE_HOME?.startsWith('/') === true) return join(XDG_CACHE_HOME, 'go-build');
  return HOME !== undefined && existsSync(HOME) ? join(HOME, '.cache/go-build') : undefined;
}

/** A word as the shell wants it. */
export function shellWord(word: string): string {
  return /^[\w./@%+=:,-]+$/.test(word) ? word : `'${word.replaceAll("'", "'\\''")}'`;
}
