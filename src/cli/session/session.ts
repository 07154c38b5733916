/** One run of the program: what it was asked for everywhere, where it writes, what time it is. */
import { existsSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { join, resolve } from 'node:path';
import { EmballageError } from '../../core/base/errors';
import { ancestors } from '../../core/base/paths';
import { KNOWN } from '../../core/known';
import { openProject, SHEET_NAME } from '../../core/project/open-project';
import { KINDS } from '../../core/project/state/state';
import type { Project } from '../../core/project/targets';
import type { HttpClient } from '../../core/sources';
import type { RegistryConnection } from '../../core/sources/registry';
import type { ResultStore } from '../../core/sources/results';
import type { Machine } from '../../core/toolchains/machine';
import { thisMachine, userCaches } from './machine';
import { shown, writeErr, writeOut } from '../output';
import { code, programName } from '../program';
import { makePaint, type Paint } from '../views/paint';
import { Progress } from '../views/progress';

export interface SessionOptions {
  readonly sheet?: string;
  readonly json: boolean;
  readonly quiet: boolean;
  readonly verbose: boolean;
  readonly offline: boolean;
  readonly color: boolean;
  readonly jobs?: number;
  /** That of the process otherwise. */
  readonly cwd?: string;
}

export class Session {
  readonly json: boolean;
  readonly quiet: boolean;
  readonly verbose: boolean;
  readonly offline: boolean;
  readonly jobs: number;
  readonly paint: Paint;
  readonly progress: Progress;
  /** Absolute path of the folder that the command runs in. */
  readonly cwd: string;
  readonly #sheet: string | undefined;
  readonly #registries = new Map<string, RegistryConnection>();
  #machine: Machine | undefined;

  constructor(options: SessionOptions) {
    this.json = options.json;
    this.quiet = options.quiet;
    this.verbose = options.verbose;
    this.offline = options.offline;
    this.cwd = resolve(options.cwd ?? '');
    this.#sheet = options.sheet;
    this.jobs = options.jobs ?? availableParallelism();
    this.paint = makePaint(options.color);
    this.progress = new Progress(process.stderr, !options.quiet && !options.json, shown);
  }

  /** Milliseconds since 1970. */
  now(): number {
    return Date.now();
  }

  /** `2026-11-24`, UTC. */
  today(): string {
    return new Date(this.now()).toISOString().slice(0, 10);
  }

  /** The project of a sheet; that of `--sheet`, or the nearest from the folder the command runs in upwards. */
  openProject(sheetPath = this.#sheet ?? this.#nearestSheet()): Promise<Project> {
    return openProject({
      sheetPath,
      from: this.cwd,
      languages: KNOWN,
      code: code(),
      caches: userCaches(),
      now: () => this.now(),
    });
  }

  /** Whether there is a sheet in the folder the command runs in, or above it. */
  hasSheet(): boolean {
    return existsSync(this.#sheet ?? this.#nearestSheet());
  }

  #nearestSheet(): string {
    const found = ancestors(this.cwd).find((folder) => existsSync(join(folder, SHEET_NAME)));
    return found === undefined ? SHEET_NAME : join(found, SHEET_NAME);
  }

  /** HTTP for package sources; with `--offline` only what was fetched before. */
  async http(project: Project): Promise<HttpClient> {
    const [{ HttpClient: Client }, { systemNetwork }] = await Promise.all([
      import('../../core/sources'),
      import('./network'),
    ]);
    return new Client({
      network: this.offline ? undefined : systemNetwork(),
      credentials: this.machine().credentials,
      cacheFolder: project.state.folder(KINDS.answers),
    });
  }

  /**
   * A registry; with `--offline` it can be asked nothing.
   * @param until nothing of what it is asked goes on after that
   */
  async registry(host: string, plainHttp: boolean, until?: AbortSignal): Promise<RegistryConnection> {
    const [{ RegistryConnection: Connection, readAuthFiles }, { registryAuthFiles }, { networkUntil, systemNetwork }] =
      await Promise.all([
        import('../../core/sources/registry'),
        import('../delivering/registry-logins'),
        import('./network'),
      ]);
    const key = `${host} ${String(plainHttp)} ${until === undefined ? '' : 'until'}`;
    const known = this.#registries.get(key);
    if (known !== undefined) return known;
    const online = until === undefined ? systemNetwork() : networkUntil(until);
    const network = this.offline ? undefined : online;
    const made = new Connection({ host, plainHttp, network, logins: readAuthFiles(registryAuthFiles()) });
    this.#registries.set(key, made);
    return made;
  }

  /** Has builds of a project share results with other machines, where the sheet or the environment names a store for them. */
  async shareResults(project: Project): Promise<ResultStore | undefined> {
    if (project.sheet.store === undefined && process.env.EMBALLAGE_STORE === undefined) return undefined;
    return (await import('../delivering/shared-store')).shareResults(project, this);
  }

  /** This machine, for what has to run on it. */
  machine(): Machine {
    return (this.#machine ??= thisMachine());
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
    writeOut(`${text}\n`);
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
    writeErr(`${text}\n`);
  }

  /** What went wrong, on standard error, whoever wants it quiet. */
  complain(text: string): void {
    this.progress.clear();
    writeErr(`${text}\n`);
  }

  /** What to do next, the last line of every command. `args` come after the program's name; `to` as in "to call it". */
  next(args: string, to: string): void {
    this.tell(this.#nextText(args, to));
  }

  /** The same on standard error, for commands whose standard output is to be kept as it is. */
  nextAside(args: string, to: string): void {
    if (!this.json) this.remark(this.#nextText(args, to));
  }

  #nextText(args: string, to: string): string {
    return `\n${this.paint.dim(`Next, to ${to}:`)} ${this.paint.bold(this.command(args))}`;
  }

  /** A command as a person would type it now, for the same sheet. */
  command(args: string): string {
    const sheet = this.#sheet === undefined ? '' : ` --sheet ${shellWord(this.#sheet)}`;
    return `${programName()} ${args}${sheet}`;
  }
}

/** A word as the shell wants it. */
export function shellWord(word: string): string {
  return /^[\w./@%+=:,-]+$/.test(word) ? word : `'${word.replaceAll("'", "'\\''")}'`;
}
