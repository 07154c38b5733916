/** Links again where the function's own modules have changed in nothing but their texts. */
import { baseOf } from '../../../base/paths';
import type { DependencyEdges } from '../../../fileset/edges';
import type { NodeAssembled, NodeAssembleRequest, NodeFile } from '../assemble/assembly';
import { isCode, sourceOf, textOf } from '../assemble/module-source';
import { NO_FACTS } from '../trace/facts';
import { readModuleJob } from '../trace/threads/module-job';
import { plain } from '../trace/modules';
import type { LinkRecord } from './link-memory';
import { placedLinked, placesOf } from './link-trace';
import { linkedFiles } from './linker';
import type { PartMap } from './parts';
import { isJson, sectionPart, type PlacedPart, type SectionPlan, type SectionText } from './section';
import { requestLines, shapeOf } from './shape';

/** With more changed modules than this the pool of threads is faster. */
const MOST_CHANGED = 40;

/** @returns undefined when it takes a whole link */
export async function relink(request: NodeAssembleRequest, record: LinkRecord): Promise<NodeAssembled | undefined> {
  const changed = changedFiles(request.files, record);
  if (changed === undefined) return undefined;
  const texts = new Map<string, SectionText>();
  for (const file of changed) {
    if (baseOf(file.path) === 'package.json') return undefined;
    if (isCode(file.path) && record.shapes[file.path] !== undefined) {
      const text = readAgain(request, record, file);
      if (text === undefined) return undefined;
      texts.set(file.path, text);
    } else if (isJson(file.path)) texts.set(file.path, jsonSection(request, file));
  }
  return settle(request, record, texts, await sectionsOf(request, record, texts));
}

function changedFiles(files: readonly NodeFile[], { digests }: LinkRecord): NodeFile[] | undefined {
  const changed: NodeFile[] = [];
  let at = 0;
  for (const file of files) {
    if (!file.isOwn) continue;
    if (file.sha256() !== digests[at]) changed.push(file);
    at += 1;
    if (changed.length > MOST_CHANGED) return undefined;
  }
  return changed;
}

function readAgain(request: NodeAssembleRequest, record: LinkRecord, file: NodeFile): SectionText | undefined {
  const { path } = file;
  const [stated, shape] = record.shapes[path] ?? [];
  const { missing, unseen } = record.result;
  // These name lines, which may have moved.
  if ([...missing, ...unseen].some((one) => one.file === path)) return undefined;
  const { text, format, compile } = sourceOf(request, file, stated === '' ? undefined : stated);
  const read = plain(text());
  const module = readModuleJob({ path, text: read, format, ...(compile !== undefined && { compile }) });
  if (module.facts.fault !== undefined || shapeOf(module.facts) !== shape) return undefined;
  return {
    facts: module.facts,
    text: module.code ?? read,
    map: module.map,
    name: request.sourceName(path),
    written: () => textOf(file),
  };
}

function jsonSection(request: NodeAssembleRequest, file: NodeFile): SectionText {
  const text = sourceOf(request, file, undefined).text();
  return { facts: { format: 'cjs', ...NO_FACTS }, text, name: file.path, written: () => text };
}

function settle(
  request: NodeAssembleRequest,
  record: LinkRecord,
  anew: ReadonlyMap<string, SectionText>,
  sections: readonly (PlacedPart & { readonly path: string })[],
): NodeAssembled {
  const { result, frames } = record;
  const linked = linkedFiles(frames, sections, request.sourcemap);
  const places = placesOf(frames, sections);
  const known = new Map(request.files.map((file) => [file.path, file]));
  const fileAt = (path: string): NodeFile => {
    const file = known.get(path);
    if (file === undefined) throw new Error(`${path} was linked and is not there`);
    return file;
  };
  return {
    placed: [
      ...placedLinked(linked),
      ...result.placed.map(({ path, file, reason }) => ({ path, reason, file: fileAt(file) })),
    ],
    trimmed: result.trimmed.map((one) =>
      known.get(one.path)?.isOwn === true ? { ...one, size: fileAt(one.path).size } : one,
    ),
    dropped: result.dropped,
    unseen: result.unseen,
    missing: result.missing,
    edges: asksAgain(record, anew),
    linked: result.linked.map(({ file, reason, settings, packages }) => ({
      file: fileAt(file),
      inside: places(file),
      reason,
      settings: anew.get(file)?.facts.settings ?? settings,
      packages,
    })),
    entryFile: result.entryFile,
  };
}

/** Who asks for what: the same as before, though in modules that changed the lines may have moved. */
function asksAgain({ lines, result: { edges } }: LinkRecord, anew: ReadonlyMap<string, SectionText>): DependencyEdges {
  const lineIn = (by: string): ((line: number) => number) => {
    const text = anew.get(by);
    const before = lines[by];
    if (text === undefined || before === undefined) return (line) => line;
    const now = requestLines(text.facts);
    return (line) => now[before.indexOf(line)] ?? 0;
  };
  const files = edges.files.map(([by, asked]) => {
    const moved = lineIn(by);
    return [by, new Map(asked.map(([path, line]) => [path, moved(line)]))] as const;
  });
  return {
    files: new Map(files),
    together: edges.together.map((one) => ({ by: new Map(one.by), for: new Set(one.for) })),
  };
}

/** The sections of the linked files, those of changed modules made anew. */
async function sectionsOf(
  { minify, sourcemap, pool }: NodeAssembleRequest,
  { sections }: LinkRecord,
  anew: ReadonlyMap<string, SectionText>,
): Promise<(PlacedPart & { readonly path: string })[]> {
  const withMap = sourcemap !== 'none';
  const made = sections.flatMap(({ path, plan }) => {
    const text = anew.get(path);
    return text === undefined ? [] : [{ path, part: sectionPart(JSON.parse(plan) as SectionPlan, text, withMap) }];
  });
  const parts = minify ? await pool.small(made.map(({ part }) => part)) : made.map(({ part }) => part);
  const byPath = new Map(made.map(({ path }, i) => [path, parts[i]]));
  return sections.map(({ path, file, text, map }) => {
    const part = byPath.get(path) ?? { text, ...(map !== '' && { map: JSON.parse(map) as PartMap }) };
    return { path, file, part };
  });
}
