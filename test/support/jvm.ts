/** What tests of JVM functions share. */
import { spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { openZip, readEntry, type ByteSource } from '../../src/core/formats/zip';

export const FIXTURES = join(__dirname, '../fixtures/jvm');

/** Content of the entries of a JAR, by path, in its order. */
export function jarContent(path: string): Map<string, Buffer> {
  const bytes = readFileSync(path);
  const source: ByteSource = { size: bytes.length, read: (at, length) => bytes.subarray(at, at + length) };
  const files = openZip(source, path).entries.filter(({ kind }) => kind === 'file');
  return new Map(files.map((entry) => [entry.path, Buffer.from(readEntry(source, entry, 1 << 28))]));
}

/** A test that needs a Java compiler; without one it is left out, which the CI does not allow. */
export const itWithJava = spawnSync('javac', ['-version']).status === 0 ? it : it.skip;

/** What Java prints when it runs a JAR, or a class of a class path, with every class verified. */
export function runJava(args: readonly string[]): { readonly status: number | null; readonly out: string } {
  const { status, stdout, stderr } = spawnSync('java', ['-Xverify:all', ...args], { encoding: 'utf8' });
  return { status, out: stdout + stderr };
}
