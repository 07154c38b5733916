/** Adds compiled bytecode to a file set: `__pycache__/NAME.cpython-311.pyc` beside each module. */
import { createHash } from 'node:crypto';
import { existsSync, lstatSync, mkdirSync, renameSync } from 'node:fs';
import { join } from 'node:path';
import { EmballageError } from '../../../base/errors';
import { baseOf, folderOf, joinPath } from '../../../base/paths';
import { fileDigest } from '../../../disk/digest';
import { stampOf } from '../../../disk/stamp';
import { temporaryBeside } from '../../../disk/write';
import { FILE_MODE, type PackedEntry, type PackedFile } from '../../../fileset/model';
import { compileBytecode } from '../run/compile-bytecode';
import type { PythonRuntime } from '../run/interpreters';
import type { FunctionSpec } from '../../../sheet';
import type { Project } from '../../../project/targets';
import { KEPT } from '../caches';

/** @param pythons the interpreters on this machine */
export async function withBytecode(
  project: Project,
  spec: FunctionSpec<'python'>,
  entries: readonly PackedEntry[],
  pythons: readonly PythonRuntime[],
): Promise<{ readonly entries: PackedEntry[]; readonly toolchain: string }> {
  const python = pythons.find(({ minor }) => minor === spec.runtime.version);
  if (python === undefined)
    throw new EmballageError('TOOLCHAIN_MISSING', {
      doing: `compiling bytecode for ${spec.name}`,
      expected: `Python ${spec.runtime.version}, which alone knows its bytecode`,
      found: 'none on this machine',
      mend: `install Python ${spec.runtime.version}, or take \`bytecode\` out of the sheet`,
    });
  const modules = entries.flatMap((entry) => (entry.kind === 'file' && entry.path.endsWith('.py') ? [entry] : []));
  const folder = project.state.file(KEPT.bytecode, python.version);
  mkdirSync(folder, { recursive: true });
  const targets = new Map(modules.map((file) => [file, join(folder, keyOf(file))]));
  await compileMissing(python, targets);
  const made = modules.flatMap((file): PackedFile[] => {
    const source = targets.get(file) ?? '';
    return existsSync(source) ? [compiled(file, source, spec.runtime.version)] : [];
  });
  return { entries: [...entries, ...made], toolchain: `cpython ${python.version}` };
}

async function compileMissing(python: PythonRuntime, targets: ReadonlyMap<PackedFile, string>): Promise<void> {
  const jobs = [...targets].flatMap(([file, target]) =>
    existsSync(target)
      ? []
      : [{ source: file.source, name: file.path, target: temporaryBeside(target), final: target }],
  );
  if (jobs.length === 0) return;
  const made = await compileBytecode(python.path, jobs);
  for (const { target, final } of jobs) if (made.has(target)) renameSync(target, final);
}

/** Bytecode holds the path of its module, for stack traces. */
function keyOf(file: PackedFile): string {
  const sha256 = file.sha256 ?? fileDigest(file.source);
  return createHash('sha256').update(`${sha256}\n${file.path}`).digest('hex');
}

function compiled(file: PackedFile, source: string, version: string): PackedFile {
  const stem = baseOf(file.path).slice(0, -'.py'.length);
  const stat = lstatSync(source);
  return {
    path: joinPath(folderOf(file.path), `__pycache__/${stem}.cpython-${version.replace('.', '')}.pyc`),
    kind: 'file',
    mode: FILE_MODE,
    origin: { from: 'generated', by: `bytecode of ${file.path}` },
    reason: { why: 'made-for', by: file.path },
    source,
    size: stat.size,
    stamp: stampOf(stat),
  };
}
