/**
 * Many JARs become one. The policy, by what an entry is: the same content twice counts once; of different content the first
 * JAR's stays and it is told; services and other registries are merged; licences are gathered, each text
 * once; what the sheet says is appended.
 */
import picomatch from 'picomatch';
import { comparePaths } from '../../../base/paths';
import type { Overlap, Trimmed } from '../../../fileset/model';
import { isElf, MACHINES } from '../../../formats/elf';
import { isSafeToDrop, kindOf, nativePlatform } from './jar-entries';
import type { PreparedEntry, PreparedJar } from './prepare';
import { registryOf } from './registries';

/** One JAR, in the order of the class path. */
export interface MergeInput {
  readonly jar: PreparedJar;
  /** `group:artifact`, or '' for the function's own. */
  readonly owner: string;
  readonly version: string;
  /** Content of an entry. */
  readonly read: (entry: PreparedEntry) => Buffer;
}

export interface MergeRequest {
  readonly inputs: readonly MergeInput[];
  /** Patterns of paths that are appended. */
  readonly append: readonly string[];
  readonly trim: 'off' | 'safe' | 'traced';
  readonly arch: 'x86_64' | 'arm64';
  readonly keptBy: (path: string) => string | undefined;
}

export interface MergedEntry {
  readonly path: string;
  readonly input: MergeInput;
  readonly entry: PreparedEntry;
}

export interface JoinedEntry {
  readonly path: string;
  readonly content: Buffer;
  /** JARs that it was put together from. */
  readonly owners: readonly string[];
  /** What it was put together from, for people. */
  readonly by: string;
}

export interface Merged {
  readonly entries: readonly MergedEntry[];
  readonly joined: readonly JoinedEntry[];
  readonly overlaps: readonly Overlap[];
  readonly trimmed: readonly Trimmed[];
}

/** Merges prepared JARs; the first that has a path keeps it, unless it is merged by its kind. */
export function mergeJars(request: MergeRequest): Merged {
  return new Merger(request).run();
}

class Merger {
  readonly #request: MergeRequest;
  readonly #appends: (path: string) => boolean;
  readonly #entries = new Map<string, MergedEntry>();
  readonly #services = new Map<string, MergedEntry[]>();
  readonly #appended = new Map<string, MergedEntry[]>();
  readonly #registries = new Map<string, MergedEntry[]>();
  readonly #overlaps: Overlap[] = [];
  readonly #trimmed: Trimmed[] = [];
  /** Licence texts that are in, by digest. */
  readonly #licences = new Set<string>();

  constructor(request: MergeRequest) {
    this.#request = request;
    this.#appends = request.append.length === 0 ? () => false : picomatch([...request.append], { dot: true });
  }

  run(): Merged {
    for (const input of this.#request.inputs) for (const entry of input.jar.entries) this.#take(input, entry);
    const joined = [
      ...[...this.#services].flatMap(([path, parts]) => this.#join(path, parts, asTexts(mergedServices))),
      ...[...this.#appended].flatMap(([path, parts]) => this.#join(path, parts, asTexts(appendedText))),
      ...[...this.#registries].flatMap(([path, parts]) =>
        this.#join(path, parts, (contents) => registryOf(path)?.merge(contents)),
      ),
    ];
    const entries = [...this.#entries.values()].sort((a, b) => comparePaths(a.path, b.path));
    return { entries, joined, overlaps: this.#overlaps, trimmed: this.#trimmed };
  }

  #take(input: MergeInput, entry: PreparedEntry): void {
    const { path } = entry;
    const part = { path, input, entry };
    const by = this.#request.keptBy(path) === undefined ? this.#dropsFor(entry, input) : undefined;
    if (by !== undefined) this.#trimmed.push({ path, size: entry.size, package: input.owner, by });
    else if (kindOf(path) === 'service') this.#services.set(path, [...(this.#services.get(path) ?? []), part]);
    else if (this.#appends(path)) this.#appended.set(path, [...(this.#appended.get(path) ?? []), part]);
    else if (registryOf(path) !== undefined) this.#registries.set(path, [...(this.#registries.get(path) ?? []), part]);
    else if (kindOf(path) === 'licence' && input.owner !== '') this.#licence(part);
    else this.#plain(part);
  }

  /** What never changes what the code does. */
  #dropsFor(entry: PreparedEntry, { owner, read }: MergeInput): string | undefined {
    const { path } = entry;
    const { trim, arch } = this.#request;
    if (trim === 'off' || owner === '') return undefined;
    if (isSafeToDrop(path)) return 'build-files';
    const native = nativePlatform(path);
    if (native === undefined) return undefined;
    const isLinux = ['', 'linux'].includes(native.system);
    // Where the folder does not say which processor it is for, the file does.
    const cpu = isLinux && native.cpu === '' ? machineIn(read(entry)) : native.cpu;
    const isOther = !isLinux || !['', arch].includes(cpu);
    return isOther ? 'other-platform' : undefined;
  }

  #plain(part: MergedEntry): void {
    const known = this.#entries.get(part.path);
    if (known === undefined) this.#entries.set(part.path, part);
    else if (known.entry.sha256 !== part.entry.sha256)
      this.#overlaps.push({ path: part.path, kept: nameOf(known.input), dropped: nameOf(part.input) });
  }

  /** `META-INF/LICENSE` of a library becomes `META-INF/licenses/ARTIFACT-VERSION/LICENSE`. */
  #licence({ input, entry }: MergedEntry): void {
    if (this.#licences.has(entry.sha256)) return;
    this.#licences.add(entry.sha256);
    const artifact = input.owner.slice(input.owner.indexOf(':') + 1).replaceAll(':', '-');
    const name = entry.path.replace(/^META-INF\//, '').replaceAll('/', '-');
    const path = `META-INF/licenses/${artifact}-${input.version}/${name}`;
    this.#plain({ path, input, entry });
  }

  #join(
    path: string,
    parts: readonly MergedEntry[],
    join: (contents: readonly Buffer[]) => Buffer | undefined,
  ): JoinedEntry[] {
    const [first] = parts;
    const isSame = new Set(parts.map(({ entry }) => entry.sha256)).size === 1;
    if (first !== undefined && isSame) {
      this.#entries.set(path, first);
      return [];
    }
    const content = join(parts.map(({ input, entry }) => input.read(entry)));
    if (content !== undefined)
      return [
        {
          path,
          content,
          owners: parts.map(({ input }) => input.owner),
          by: `merging ${parts.map(({ input }) => nameOf(input)).join(', ')}`,
        },
      ];
    // Where they contradict each other, the first stays and it is told.
    for (const part of parts) this.#plain(part);
    return [];
  }
}

/** The processor that a shared library is for, by its header; '' for what is none. */
function machineIn(bytes: Buffer): string {
  // ELF-64 Object File Format, figure 2: the machine is at offset 18.
  return isElf(bytes) && bytes.length > 20 ? (MACHINES[bytes.readUInt16LE(18)] ?? 'other') : '';
}

function asTexts(join: (texts: readonly string[]) => string): (contents: readonly Buffer[]) => Buffer {
  return (contents) => Buffer.from(join(contents.map((content) => content.toString('utf8'))));
}

/** A JAR as conflicts name it: artifact and version. */
export function nameOf({ owner, version }: MergeInput): string {
  return owner === '' ? 'the function' : `${owner} ${version}`;
}

/** Every provider once, in the order of the class path, which is the order in which they are found. */
export function mergedServices(texts: readonly string[]): string {
  const names = texts.flatMap((text) => providersIn(text));
  return `${[...new Set(names)].join('\n')}\n`;
}

/** Names of providers in a service file: one a line, `#` before comments. */
export function providersIn(text: string): string[] {
  return text
    .split(/\r?\n/)
    .map((line) => line.replace(/#.*/, '').trim())
    .filter((line) => line !== '');
}

function appendedText(texts: readonly string[]): string {
  return texts.map((text) => (text === '' || text.endsWith('\n') ? text : `${text}\n`)).join('');
}
