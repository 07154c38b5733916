/** The file set of one target of a Python function. */
import { createHash } from 'node:crypto';
import { existsSync, lstatSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileDigest, textDigest } from '../disk/digest';
import { stampOf } from '../disk/stamp';
import { writeWhole } from '../disk/write';
import { FILE_MODE, PROGRAM_MODE, type FileSet, type PackedEntry, type PackedFile } from '../fileset/model';
import { sortEntries } from '../fileset/collect';
import { makeSelection } from '../fileset/selection';
import { stripDebugSections } from '../formats/elf';
import {
  ADAPTER_FILE,
  adapterCode,
  adapterEntry,
  assemblePython,
  type Assembled,
  type PackageInput,
  type StoredContent,
} from '../languages/python';
import type { FunctionSpec } from '../sheet';
import type { Assembly, AssemblyRequest } from './assemble';
import { withBytecode } from './bytecode';
import { factsFor } from './facts-memory';
import { readNeeds } from './needs';
import { readyPackages } from './packages';
import { stateFolder, type Project } from './targets';

/** @param whole the function's own files */
export async function assemblePythonTarget(request: AssemblyRequest, whole: FileSet): Promise<Assembly> {
  const { project, spec } = request;
  const plain = await assembleSources(request, whole);
  if (!spec.bytecode) return plain;
  const { entries, toolchain } = await withBytecode(
    project,
    spec,
    plain.fileSet.entries,
    await request.machine.pythons(),
  );
  const sorted = sortEntries(entries);
  return { ...plain, fileSet: { ...plain.fileSet, entries: sorted }, toolchains: [toolchain] };
}

async function assembleSources(request: AssemblyRequest, whole: FileSet): Promise<Assembly> {
  const { project, spec, packages } = request;
  const base = withoutRequirements(whole, readNeeds(project, spec)?.files ?? []);
  const hostEntry = spec.adapter === undefined ? spec.entry : adapterEntry();
  const plain = { packages, trimmed: [], overlaps: [], unseen: [], toolchains: [], hostEntry };
  if (packages.length === 0 && spec.trim !== 'traced') return { fileSet: withAdapter(project, spec, base), ...plain };
  const ready = await readyPackages(request);
  const inputs = ready.map(({ locked, wheel }) => ({ ...locked, wheel }));
  const assembled = assembleFiles(project, spec, base, inputs);
  const { trimmed, overlaps, unseen } = assembled;
  const fileSet = withAdapter(project, spec, joinSets(project, base, assembled));
  return { ...plain, fileSet, trimmed, overlaps, unseen };
}

/** With the module that calls a web application, where the sheet says that the entry is one. */
function withAdapter(project: Project, spec: FunctionSpec, fileSet: FileSet): FileSet {
  if (spec.adapter === undefined) return fileSet;
  const { source, size, sha256 } = generated(project, adapterCode(spec.adapter, spec.entry));
  const adapter: PackedFile = {
    path: ADAPTER_FILE,
    kind: 'file',
    mode: FILE_MODE,
    origin: { from: 'generated', by: `adapter ${spec.adapter}` },
    reason: { why: 'made-for', by: `${spec.adapter} application ${spec.entry.text}` },
    source,
    size,
    stamp: stampOf(lstatSync(source)),
    sha256,
  };
  const others = fileSet.entries.filter(({ path }) => path !== ADAPTER_FILE);
  return { ...fileSet, entries: sortEntries([...others, adapter]) };
}

/** Files that state requirements have done their work when the packages are there. */
function withoutRequirements(base: FileSet, files: readonly string[]): FileSet {
  const isStated = ({ origin, reason }: PackedEntry): boolean =>
    origin.from === 'source' && files.includes(origin.at) && reason.why !== 'kept';
  const leftOut = base.entries
    .filter(isStated)
    .map(({ path }) => ({ path, by: 'requirements', kind: 'file' }) as const);
  return { entries: base.entries.filter((entry) => !isStated(entry)), leftOut: [...base.leftOut, ...leftOut] };
}

function assembleFiles(
  project: Project,
  spec: FunctionSpec,
  base: FileSet,
  packages: readonly PackageInput[],
): Assembled {
  const selection = makeSelection([], spec.keep);
  const own = base.entries.flatMap((entry) => (entry.kind === 'file' ? [entry] : []));
  return assemblePython({
    own: own.map((file) => ({
      path: file.path,
      source: file.source,
      sha256: () => fileDigest(file.source),
      isKept: !file.path.endsWith('.py') || file.reason.why === 'kept',
    })),
    packages,
    trim: spec.trim,
    entries: [spec.entry.file],
    keptBy: (path) => selection.keptBy(path),
    strip: (file) => strippedFile(project, file),
    factsFor: (sha256, read) => factsFor(project, sha256, read),
  });
}

/** What was stripped once is kept by its digest; so is the news that there is nothing to strip. */
function strippedFile(project: Project, { source, sha256 }: StoredContent): StoredContent | undefined {
  const note = join(stateFolder(project), 'stripped', `${sha256}.json`);
  const made = (digest: string): string => join(stateFolder(project), 'stripped', digest);
  try {
    const known = JSON.parse(readFileSync(note, 'utf8')) as { sha256: string; size: number } | null;
    if (known === null) return undefined;
    if (existsSync(made(known.sha256))) return { ...known, source: made(known.sha256) };
  } catch {
    // Not looked at yet.
  }
  const bytes = stripDebugSections(readFileSync(source));
  const digest = bytes === undefined ? '' : createHash('sha256').update(bytes).digest('hex');
  const known = bytes === undefined ? null : { sha256: digest, size: bytes.length };
  if (bytes !== undefined) writeWhole(made(digest), bytes, made(digest));
  writeWhole(note, JSON.stringify(known), note);
  return known === null ? undefined : { ...known, source: made(digest) };
}

function joinSets(project: Project, base: FileSet, assembled: Assembled): FileSet {
  const dropped = new Set(assembled.ownDropped);
  const own = base.entries
    .filter(({ path }) => !dropped.has(path))
    .map((entry): PackedEntry => {
      const reason = entry.reason.why === 'in-source' ? assembled.ownReasons.get(entry.path) : undefined;
      return reason === undefined ? entry : { ...entry, reason };
    });
  const files = assembled.files.map((file): PackedFile => {
    const content = file.content.kind === 'file' ? file.content : generated(project, file.content.text);
    const { name, version } = file.package;
    return {
      path: file.path,
      kind: 'file',
      mode: file.isProgram ? PROGRAM_MODE : FILE_MODE,
      origin: file.isMade
        ? { from: 'generated', by: `${name} ${version}: ${file.at}` }
        : { from: 'package', name, version, at: file.at },
      reason: file.reason,
      source: content.source,
      size: content.size,
      stamp: stampOf(lstatSync(content.source)),
      sha256: content.sha256,
    };
  });
  const entries = sortEntries([...own, ...files]);
  const notReached = assembled.ownDropped.map((path) => ({ path, by: 'not-reached', kind: 'file' }) as const);
  return { entries, leftOut: [...base.leftOut, ...notReached] };
}

/** Generated content lies in a file by its digest, so that it is packed like any other. */
export function generated(project: Project, text: string): { source: string; size: number; sha256: string } {
  const sha256 = textDigest(text);
  const source = join(stateFolder(project), 'generated', sha256);
  if (!existsSync(source)) writeWhole(source, text, source);
  return { source, size: Buffer.byteLength(text), sha256 };
}
