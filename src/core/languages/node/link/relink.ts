/** Links again where the function's own modules have changed in nothing but their texts. */
import { baseOf } from '../../../base/paths';
import type { NodeAssembled, NodeAssembleRequest, NodeFile } from '../assembly';
import { isCode, sourceOf } from '../module-source';
import { NO_FACTS } from '../trace/facts';
import { readModuleJob } from '../trace/module-job';
import type { LinkRecord } from './link-memory';
import { Output } from './output';
import { isJson, writeSection, type SectionPlan, type SectionText } from './section';
import { shapeOf } from './shape';

/** With more changed modules than this the pool of threads is faster. */
const MOST_CHANGED = 40;

/** @returns undefined when it takes a whole link */
export function relink(request: NodeAssembleRequest, record: LinkRecord): NodeAssembled | undefined {
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
  return settle(request, record, texts);
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
  const read = text();
  const module = readModuleJob({ path, text: read, format, ...(compile !== undefined && { compile }) });
  if (module.facts.fault !== undefined || shapeOf(module.facts) !== shape) return undefined;
  return { facts: module.facts, text: module.code ?? read, name: path, written: () => read };
}

function jsonSection(request: NodeAssembleRequest, file: NodeFile): SectionText {
  const text = sourceOf(request, file, undefined).text();
  return { facts: { format: 'cjs', ...NO_FACTS }, text, name: file.path, written: () => text };
}

function settle(
  request: NodeAssembleRequest,
  record: LinkRecord,
  anew: ReadonlyMap<string, SectionText>,
): NodeAssembled {
  const { texts, result } = record;
  const known = new Map(request.files.map((file) => [file.path, file]));
  const fileAt = (path: string): NodeFile => {
    const file = known.get(path);
    if (file === undefined) throw new Error(`${path} was linked and is not there`);
    return file;
  };
  return {
    placed: result.placed.map(({ path, file, reason }, i) => {
      if (i >= texts.length) return { path, reason, ...(file !== undefined && { file: fileAt(file) }) };
      return { path, reason, text: spliced(record, i, anew) };
    }),
    trimmed: result.trimmed.map((one) =>
      known.get(one.path)?.isOwn === true ? { ...one, size: fileAt(one.path).size } : one,
    ),
    dropped: result.dropped,
    unseen: result.unseen,
    missing: result.missing,
    linked: result.linked.map(({ file, reason, settings, packages }) => ({
      file: fileAt(file),
      reason,
      settings: anew.get(file)?.facts.settings ?? settings,
      packages,
    })),
    entryFile: result.entryFile,
  };
}

/** One of the linked files, with the sections of changed modules written anew. */
function spliced({ texts, sections, plans }: LinkRecord, file: number, anew: ReadonlyMap<string, SectionText>): string {
  const text = texts[file] ?? '';
  const parts: string[] = [];
  let at = 0;
  for (const [i, [place, start, end, path]] of sections.entries()) {
    const own = place === file ? anew.get(path) : undefined;
    if (own === undefined) continue;
    const out = new Output(false);
    writeSection(out, JSON.parse(plans[i] ?? '') as SectionPlan, own);
    parts.push(text.slice(at, start), out.text);
    at = end;
  }
  parts.push(text.slice(at));
  return parts.join('');
}
