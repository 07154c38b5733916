/** The file set of one target of a Python function. */
import { lstatSync } from 'node:fs';
import { fileDigest } from '../../../disk/digest';
import { stampOf } from '../../../disk/stamp';
import { FILE_MODE, PROGRAM_MODE, type FileSet, type PackedEntry, type PackedFile } from '../../../fileset/model';
import { sortEntries } from '../../../fileset/collect';
import { keeperOf } from '../../../fileset/selection';
import { adapterCalls, type FunctionSpec } from '../../../sheet';
import { ADAPTER_FILE, adapterCode, adapterEntry } from './adapter';
import { assemblePython, type Assembled, type PackageInput } from './assemble';
import type { Assembly, AssemblyRequest } from '../../language';
import { interpretersOf } from '../run/interpreters';
import { withBytecode } from './bytecode';
import { factsFor } from '../view/facts-memory';
import { generated, strippedFile } from '../../../project/state/made-files';
import { readNeeds } from '../locks/needs';
import { readyPackages } from '../sources/packages';
import type { Project } from '../../../project/targets';

/** @param whole the function's own files */
export async function assemble(request: AssemblyRequest<'python'>, whole: FileSet): Promise<Assembly> {
  const { project, spec } = request;
  const plain = await assembleSources(request, whole);
  if (!spec.byLanguage.bytecode) return plain;
  const { entries, toolchain } = await withBytecode(
    project,
    spec,
    plain.fileSet.entries,
    await interpretersOf(request.machine),
  );
  const sorted = sortEntries(entries);
  return { ...plain, fileSet: { ...plain.fileSet, entries: sorted }, toolchains: [toolchain] };
}

async function assembleSources(request: AssemblyRequest<'python'>, whole: FileSet): Promise<Assembly> {
  const { project, spec, packages } = request;
  const base = withoutRequirements(whole, readNeeds(project, spec)?.files ?? []);
  const hostEntry = spec.adapter === undefined ? spec.entry : adapterEntry();
  const nothing = { trimmed: [], overlaps: [], unseen: [], missing: [], modules: [], toolchains: [] };
  const plain = { packages, ...nothing, sourceDigests: new Map<string, string>(), hostEntry };
  if (packages.length === 0 && spec.trim !== 'traced') return { fileSet: withAdapter(project, spec, base), ...plain };
  const ready = await readyPackages(request);
  const inputs = ready.map(({ locked, wheel }) => ({ ...locked, wheel }));
  const assembled = await assembleFiles(request, base, inputs);
  const { trimmed, overlaps, unseen, edges } = assembled;
  const fileSet = withAdapter(project, spec, joinSets(project, base, assembled));
  return { ...plain, fileSet, trimmed, overlaps, unseen, edges };
}

/** With the module that calls a web application, where the sheet says that the entry is one. */
function withAdapter(project: Project, spec: FunctionSpec, fileSet: FileSet): FileSet {
  const { adapter: kind } = spec;
  if (kind !== 'wsgi' && kind !== 'asgi') return fileSet;
  const { source, size, sha256 } = generated(
    project,
    adapterCode(kind, spec.entry, adapterCalls(spec, project.sheet.destinations[spec.destination])),
  );
  const adapter: PackedFile = {
    path: ADAPTER_FILE,
    kind: 'file',
    mode: FILE_MODE,
    origin: { from: 'generated', by: `adapter ${kind}` },
    reason: { why: 'made-for', by: `${kind} application ${spec.entry.text}` },
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
  { project, spec, arch }: AssemblyRequest<'python'>,
  base: FileSet,
  packages: readonly PackageInput[],
): Promise<Assembled> {
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
    arch,
    isStrict: spec.isStrict,
    entries: [spec.entry.file],
    keptBy: keeperOf(spec.keep, base),
    strip: (file) => strippedFile(project, file),
    factsFor: (sha256, read) => factsFor(project.state, sha256, read),
  });
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
