/**
 * One JAR made ready to be merged: its classes moved and stripped, every entry compressed as it will stand in the artifact.
 * What is not changed keeps the compressed bytes that it came with. Done once for each JAR and way of shading it.
 */
import { closeSync, mkdirSync, openSync, readFileSync, renameSync, rmSync, writeSync } from 'node:fs';
import { dirname } from 'node:path';
import { crc32 } from 'node:zlib';
import { EmballageError, messageOf } from '../../../base/errors';
import { printable } from '../../../base/text';
import { contentDigest } from '../../../disk/digest';
import { holdToBound } from '../../../disk/unpack/unpacked-bound';
import { guarded, temporaryBeside, writeWhole } from '../../../disk/write';
import { ACC, ClassFormatError, isClassFile, readClass, writeClass, type ClassFile } from '../../../formats/classfile';
import { deflateWhole } from '../../../formats/deflate';
import { sourceOfBytes } from '../../../formats/byte-source';
import {
  METHOD_DEFLATED,
  METHOD_STORED,
  openZip,
  readEntry,
  ZipFaultError,
  type ByteSource,
  type ZipEntry,
} from '../../../formats/zip';
import { classFacts, type ClassFacts } from './class-facts';
import { kindOf, withoutRelease } from './jar-entries';
import { mayName, relocateClass } from './relocate-class';
import { registryOf } from './registries';
import { Relocation, type Move } from './relocation';
import { stripDebug, type Debug } from './strip-debug';

/** Plain data, so that it can be sent between threads. */
export interface PrepareJob {
  /** Absolute path of the JAR. */
  readonly jar: string;
  /** What messages call it. */
  readonly shown: string;
  /** Absolute path of what is made: `OUT` holds the content, `OUT.json` says what is in it, `OUT.facts` what its classes say. */
  readonly out: string;
  readonly moves: readonly Move[];
  /** Paths of entries in packages that move, of all JARs. */
  readonly named: readonly string[];
  /** Names with slashes of those classes that alone move, where a package moves in some JARs only. */
  readonly only?: readonly string[];
  readonly debug: Debug;
  readonly releases: 'flatten' | 'keep';
  /** Whether what its classes say is wanted too. */
  readonly withFacts: boolean;
  /** The Java version that releases are chosen for. */
  readonly java: number;
  /** What it may unpack to. */
  readonly mostBytes: number;
}

export interface PreparedEntry {
  /** Path in the artifact. */
  readonly path: string;
  /** Path in the JAR. */
  readonly from: string;
  readonly sha256: string;
  readonly size: number;
  readonly crc32: number;
  readonly method: number;
  /** Where its compressed bytes stand in the prepared file. */
  readonly at: number;
  readonly length: number;
}

export interface PreparedJar {
  readonly entries: readonly PreparedEntry[];
  /** Its manifest says that it has classes for several Java versions. */
  readonly isMultiRelease: boolean;
  /** Classes that move although their native code finds them by their names: paths in the artifact. */
  readonly bound?: readonly BoundClass[];
}

/** A class with methods in native code, which is linked by the name of the class (Java Native Interface, "Resolving Native Method Names"). */
export interface BoundClass {
  readonly path: string;
  /** The name that it had, with dots. */
  readonly name: string;
  readonly method: string;
}

/** Changed when the same JAR comes to be prepared differently. */
export const PREPARE_VERSION = '4';
const MAX_ENTRY_BYTES = 512 * 1024 * 1024;
const MAX_JAR_ENTRIES = 400_000;
/** Larger texts are data. */
const MAX_TEXT_BYTES = 8 * 1024 * 1024;
const NAME_IN_TEXT = /(?<![\w$./])[A-Za-z_$][\w$]*(?:[./][A-Za-z_$][\w$]*)+/g;
const BUFFER_BYTES = 4 * 1024 * 1024;

/** @throws EmballageError PACKAGE_INVALID; then nothing is left behind */
export function prepareJar(job: PrepareJob): void {
  guarded(job.out, () => {
    mkdirSync(dirname(job.out), { recursive: true });
    const temporary = temporaryBeside(job.out);
    const writer = new BlobWriter(temporary);
    try {
      const { jar, facts } = new Preparer(job, writer).run();
      writer.close();
      renameSync(temporary, job.out);
      if (job.withFacts) writeWhole(`${job.out}.facts`, JSON.stringify(facts), job.out);
      // What says that everything is there comes last.
      writeWhole(`${job.out}.json`, JSON.stringify(jar), job.out);
    } catch (error) {
      writer.close();
      rmSync(temporary, { force: true });
      throw error;
    }
  });
}

class Preparer {
  readonly #job: PrepareJob;
  readonly #out: BlobWriter;
  readonly #relocation: Relocation | undefined;
  readonly #entries: PreparedEntry[] = [];
  readonly #facts: ClassFacts[] = [];
  readonly #bound: BoundClass[] = [];

  constructor(job: PrepareJob, out: BlobWriter) {
    this.#job = job;
    this.#out = out;
    this.#relocation = job.moves.length === 0 ? undefined : new Relocation(job.moves, namedIn(job.named), job.only);
  }

  run(): { jar: PreparedJar; facts: readonly ClassFacts[] } {
    const { jar, shown, mostBytes } = this.#job;
    const bytes = readFileSync(jar);
    const source = sourceOfBytes(bytes);
    const archive = openZip(source, shown, { entries: MAX_JAR_ENTRIES, unpackedBytes: Infinity });
    holdToBound(shown, archive.entries, mostBytes);
    const [fault] = archive.faults.filter(({ code }) => code !== 'duplicate-name');
    if (fault !== undefined) throw new ZipFaultError(fault, `reading ${printable(shown)}`);
    const isMultiRelease = saysMultiRelease(source, archive.entries);
    for (const entry of this.#chosen(archive.entries, isMultiRelease)) this.#take(source, entry, bytes, isMultiRelease);
    const bound = this.#bound.length === 0 ? {} : { bound: this.#bound };
    return { jar: { entries: this.#entries, isMultiRelease, ...bound }, facts: this.#facts };
  }

  /** Entries that go on, each path once; for a Java version those that are for it. */
  #chosen(entries: readonly ZipEntry[], isMultiRelease: boolean): ZipEntry[] {
    const { releases, java, shown } = this.#job;
    const chosen = new Map<string, { entry: ZipEntry; release: number }>();
    for (const entry of entries) {
      if (entry.kind !== 'file' || kindOf(entry.path) === 'dropped') continue;
      // Without a manifest that says so nobody looks there, and in a JAR of several they would come to count.
      if (!isMultiRelease && withoutRelease(entry.path).release > 0 && entry.path.endsWith('.class')) continue;
      const flat =
        isMultiRelease && releases === 'flatten' ? withoutRelease(entry.path) : { path: entry.path, release: 0 };
      if (flat.release > java) continue;
      const known = chosen.get(flat.path);
      if (known?.release === flat.release && !isSameContent(known.entry, entry)) throw twice(shown, entry.path);
      if (known === undefined || known.release < flat.release) chosen.set(flat.path, { entry, release: flat.release });
    }
    return [...chosen.values()].map(({ entry }) => entry);
  }

  #take(source: ByteSource, entry: ZipEntry, jar: Buffer, isMultiRelease: boolean): void {
    const content = readEntry(source, entry, MAX_ENTRY_BYTES);
    const { releases } = this.#job;
    const plain = isMultiRelease && releases === 'flatten' ? withoutRelease(entry.path).path : entry.path;
    const path = this.#relocation === undefined ? plain : relocatedPath(plain, this.#relocation);
    const made = this.#transform(content, entry.path);
    const common = { path, from: entry.path, size: made.length, sha256: contentDigest(made) };
    if (made === content && (entry.method === METHOD_DEFLATED || entry.method === METHOD_STORED)) {
      const packed = jar.subarray(entry.dataOffset, entry.dataOffset + entry.compressedSize);
      this.#entries.push({ ...common, crc32: entry.crc32, method: entry.method, ...this.#out.put(packed) });
      return;
    }
    const packed = deflateWhole(made);
    const isSmaller = packed.length < made.length;
    this.#entries.push({
      ...common,
      crc32: crc32(made),
      method: isSmaller ? METHOD_DEFLATED : METHOD_STORED,
      ...this.#out.put(isSmaller ? packed : made),
    });
  }

  #transform(content: Uint8Array, path: string): Uint8Array {
    const kind = kindOf(path);
    if (kind === 'service') return this.#service(content);
    if (kind === 'resource') return this.#resource(content, path);
    if (kind !== 'class' || !isClassFile(content)) return content;
    try {
      const moved = this.#relocation === undefined ? content : relocateClass(content, this.#relocation);
      const { debug, withFacts } = this.#job;
      const file = readClass(moved);
      if (moved !== content) this.#noteBound(file, path);
      if (withFacts) this.#facts.push(classFacts(file));
      const stripped = stripDebug(file, debug);
      return stripped === file ? moved : writeClass(stripped);
    } catch (error) {
      if (!(error instanceof ClassFormatError)) throw error;
      throw new EmballageError(
        'PACKAGE_INVALID',
        {
          doing: 'reading a class',
          where: printable(`${this.#job.shown}!/${path}`),
          expected: 'a class file that the Java virtual machine could load',
          found: error.message,
          mend: 'get the file anew, or take another version',
        },
        error,
      );
    }
  }

  #noteBound({ name, methods }: ClassFile, path: string): void {
    const before = withoutRelease(path).path.slice(0, -'.class'.length);
    const native = methods.find(({ access }) => (access & ACC.native) !== 0);
    if (native === undefined || name === before) return;
    this.#bound.push({ path: `${name}.class`, name: before.replaceAll('/', '.'), method: native.name });
  }

  /** Names of classes, packages and resources that have moved, wherever they stand in a text as whole words. */
  #resource(content: Uint8Array, path: string): Uint8Array {
    const relocation = this.#relocation;
    if (relocation === undefined || !mayName(content, relocation)) return content;
    const bytes = Buffer.from(content);
    const registry = registryOf(withoutRelease(path).path);
    if (registry !== undefined) return registry.move(bytes, (name) => movedWord(name, relocation));
    // What is no text has a format of its own.
    if (bytes.length > MAX_TEXT_BYTES || bytes.includes(0)) return content;
    const text = bytes.toString('utf8');
    const moved = text.replace(NAME_IN_TEXT, (name) => movedWord(name, relocation));
    return moved === text || !Buffer.from(text).equals(bytes) ? content : Buffer.from(moved);
  }

  /** A file of service providers: one class name a line, `#` before comments (java.util.ServiceLoader). */
  #service(content: Uint8Array): Uint8Array {
    if (this.#relocation === undefined || !mayName(content, this.#relocation)) return content;
    const relocation = this.#relocation;
    const lines = Buffer.from(content).toString('utf8').split(/\r?\n/);
    const moved = lines.map((line) =>
      line.replace(/^(\s*)([\w.$]+)/, (_all, space: string, name: string) => space + movedName(name, relocation)),
    );
    return Buffer.from(moved.join('\n'));
  }
}

/** A word with dots or slashes; what is behind the name of a class names something in it. */
function movedWord(word: string, relocation: Relocation): string {
  for (let end = word.length; end > 0; end = Math.max(word.lastIndexOf('.', end - 1), word.lastIndexOf('/', end - 1))) {
    const name = word.slice(0, end);
    const moved = relocation.text(name);
    if (moved !== name) return moved + word.slice(end);
  }
  return word;
}

function movedName(name: string, relocation: Relocation): string {
  return (relocation.className(name.replaceAll('.', '/')) ?? name).replaceAll('/', '.');
}

function relocatedPath(path: string, relocation: Relocation): string {
  const { path: plain, release } = withoutRelease(path);
  const [, service] = /^META-INF\/services\/([^/]+)$/.exec(plain) ?? [];
  const moved = service === undefined ? relocation.path(plain) : `META-INF/services/${movedName(service, relocation)}`;
  return release === 0 ? moved : `META-INF/versions/${String(release)}/${moved}`;
}

function namedIn(paths: readonly string[]): ConstructorParameters<typeof Relocation>[1] {
  const classes = new Set<string>();
  const resources = new Set<string>();
  const packages = new Set<string>();
  for (const one of paths) {
    const { path } = withoutRelease(one);
    if (path.endsWith('.class')) classes.add(path.slice(0, -'.class'.length));
    else resources.add(path);
    for (let at = path.lastIndexOf('/'); at > 0; at = path.lastIndexOf('/', at - 1)) packages.add(path.slice(0, at));
  }
  return {
    hasClass: (name) => classes.has(name),
    hasResource: (path) => resources.has(path),
    hasPackage: (name) => packages.has(name),
  };
}

function saysMultiRelease(source: ByteSource, entries: readonly ZipEntry[]): boolean {
  const manifest = entries.find(({ path }) => path === 'META-INF/MANIFEST.MF');
  if (manifest === undefined) return false;
  const text = Buffer.from(readEntry(source, manifest, MAX_ENTRY_BYTES)).toString('utf8');
  return /^Multi-Release:\s*true\s*$/im.test(text);
}

function isSameContent(a: ZipEntry, b: ZipEntry): boolean {
  return a.crc32 === b.crc32 && a.size === b.size;
}

function twice(shown: string, path: string): EmballageError {
  return new EmballageError('PACKAGE_INVALID', {
    doing: `reading ${printable(shown)}`,
    where: printable(path),
    expected: 'each entry once',
    found: 'two of that name with different content, so that nobody can tell which counts',
    mend: 'make the JAR anew, or take another version',
  });
}

/** Bytes one behind the other, written in large pieces. */
class BlobWriter {
  readonly #fd: number;
  #parts: Uint8Array[] = [];
  #waiting = 0;
  #at = 0;
  #isOpen = true;

  constructor(path: string) {
    this.#fd = openSync(path, 'wx', 0o666);
  }

  put(bytes: Uint8Array): { at: number; length: number } {
    const place = { at: this.#at, length: bytes.length };
    this.#parts.push(bytes);
    this.#waiting += bytes.length;
    this.#at += bytes.length;
    if (this.#waiting >= BUFFER_BYTES) this.#flush();
    return place;
  }

  close(): void {
    if (!this.#isOpen) return;
    this.#isOpen = false;
    try {
      this.#flush();
    } finally {
      closeSync(this.#fd);
    }
  }

  #flush(): void {
    const bytes = Buffer.concat(this.#parts);
    this.#parts = [];
    this.#waiting = 0;
    for (let done = 0; done < bytes.length;) done += writeSync(this.#fd, bytes, done);
  }
}

/** A JAR that was prepared before; undefined where it was not. @param out absolute path of its folder */
export function readPrepared(out: string): PreparedJar | undefined {
  try {
    return JSON.parse(readFileSync(`${out}.json`, 'utf8')) as PreparedJar;
  } catch {
    return undefined;
  }
}

/** The facts of its classes, as preparing it wrote them. @param out absolute path of its folder */
export function readFacts(out: string): ClassFacts[] {
  try {
    return JSON.parse(readFileSync(`${out}.facts`, 'utf8')) as ClassFacts[];
  } catch (error) {
    throw new Error(`what ${out} says of its classes is gone: ${messageOf(error)}`);
  }
}
