/** What the JDK of a release has, read from the list of its classes that comes with every JDK (`lib/ct.sym`). */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { readClass, type ClassFile } from '../../../formats/classfile';
import { runProgram } from '../../../toolchains/run-program';
import { sourceOfBytes } from '../../../formats/byte-source';
import { openZip, readEntry, type ZipEntry } from '../../../formats/zip';
import type { Machine } from '../../../toolchains/machine';
import { javasOf, type JavaRuntime } from './machines';

export interface JdkApi {
  readonly release: number;
  hasClass(name: string): boolean;
  /** Whether a class of the JDK has a member, itself or inherited; undefined where that cannot be told. */
  hasMember(owner: string, name: string, descriptor: string): boolean | undefined;
}

const MAX_CLASS_BYTES = 16 * 1024 * 1024;
const MAX_LIST_BYTES = 256 * 1024 * 1024;
const PATIENCE_MS = 60_000;

/** What the JDK of a release has, read once in a run; undefined where nothing on this machine knows the release. */
export function knownApi(machine: Machine, release: number): Promise<JdkApi | undefined> {
  return machine.once(`jdk ${String(release)}`, async () => jdkApi(await javasOf(machine), release));
}

async function jdkApi(runtimes: readonly JavaRuntime[], release: number): Promise<JdkApi | undefined> {
  for (const { signatures, major } of runtimes) {
    if (signatures === undefined || major < release) continue;
    const api = fromSignatures(signatures, release);
    if (api !== undefined) return api;
  }
  const same = runtimes.find(({ major }) => major === release);
  return same === undefined ? undefined : fromImage(same);
}

/** In the list each folder is named after the releases that its classes are the same in: `9A` for 9 and 10. */
function fromSignatures(path: string, release: number): JdkApi | undefined {
  const bytes = readFileSync(path);
  const source = sourceOfBytes(bytes);
  const mark = release < 10 ? String(release) : String.fromCharCode('A'.charCodeAt(0) + release - 10);
  const entries = new Map<string, ZipEntry>();
  for (const entry of openZip(source, path).entries) {
    const [, releases = '', inside = ''] = /^([0-9A-Z]+)\/(.+)\.sig$/.exec(entry.path) ?? [];
    if (!releases.includes(mark)) continue;
    // Since 12 classes lie below the name of their module.
    const name = /^[a-z]+\.[\w.]+\//.test(inside) ? inside.slice(inside.indexOf('/') + 1) : inside;
    if (!name.endsWith('module-info')) entries.set(name, entry);
  }
  if (!entries.has('java/lang/Object')) return undefined;
  const read = new Map<string, ClassFile | undefined>();
  const classOf = (name: string): ClassFile | undefined => {
    const entry = entries.get(name);
    if (entry === undefined) return undefined;
    if (!read.has(name)) read.set(name, readClass(readEntry(source, entry, MAX_CLASS_BYTES)));
    return read.get(name);
  };
  return {
    release,
    hasClass: (name) => entries.has(name),
    hasMember: (owner, name, descriptor) => memberIn(classOf, owner, name, descriptor),
  };
}

function memberIn(
  classOf: (name: string) => ClassFile | undefined,
  owner: string,
  name: string,
  descriptor: string,
): boolean | undefined {
  const open = [owner, 'java/lang/Object'];
  const seen = new Set<string>();
  for (let at = open.pop(); at !== undefined; at = open.pop()) {
    if (seen.has(at)) continue;
    seen.add(at);
    const file = classOf(at);
    // A superclass that is not part of the interface may have it.
    if (file === undefined) return undefined;
    const members = descriptor.startsWith('(') ? file.methods : file.fields;
    if (members.some((one) => one.name === name && one.descriptor === descriptor)) return true;
    // Method handles take any arguments (JVMS 2.9.3).
    if (at === 'java/lang/invoke/MethodHandle' || at === 'java/lang/invoke/VarHandle') return true;
    open.push(...file.interfaces, ...(file.superName === undefined ? [] : [file.superName]));
  }
  return false;
}

/** The classes of the running JDK itself, as its own tool lists them. */
async function fromImage({ home, major }: JavaRuntime): Promise<JdkApi | undefined> {
  try {
    const { stdout } = await runProgram({
      program: join(home, 'bin/jimage'),
      args: ['list', join(home, 'lib/modules')],
      patienceMs: PATIENCE_MS,
      maxBytes: MAX_LIST_BYTES,
    });
    const names = new Set(stdout.split('\n').flatMap((line) => /^\s+(\S+)\.class$/.exec(line)?.[1] ?? []));
    if (names.size === 0) return undefined;
    return { release: major, hasClass: (name) => names.has(name), hasMember: () => undefined };
  } catch {
    return undefined;
  }
}
