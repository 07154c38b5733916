/** Writes what was built and sent into the team's own templates, in place; all of them or none. */
import { join } from 'node:path';
import { EmballageError, type Place } from '../../base/errors';
import { readTextFile } from '../../disk/read-text';
import { writeInProject } from '../../disk/write';
import type { Project } from '../../project/targets';
import type { Fill } from '../../sheet';
import type { Edited, EditFault, Editor } from './editors/editor';
import { fillText } from './words';

const MOST_BYTES = 16 * 1024 * 1024;

export interface Filled {
  /** Relative to the project. */
  readonly file: string;
  readonly at: string;
  readonly before: string;
  readonly now: string;
}

export interface FillRequest {
  readonly project: Project;
  /** Nothing is written, only told. */
  readonly isCheck: boolean;
}

/** @returns each value, what stood there, and what stands there now */
export async function fillTemplates({ project, isCheck }: FillRequest): Promise<Filled[]> {
  const texts = new Map<string, { readonly old: string; now: string }>();
  const filled: Filled[] = [];
  for (const fill of project.sheet.fill ?? []) {
    const value = await fillText(project, fill);
    const known = texts.get(fill.file) ?? readTemplate(project, fill.file);
    const edited = (await editorFor(fill.file))(known.now, fill.at, value);
    if ('expected' in edited) throw cannotFill(fill, known.now, edited);
    texts.set(fill.file, { old: known.old, now: edited.text });
    filled.push({ file: fill.file, at: fill.at, before: edited.before, now: value });
  }
  if (!isCheck)
    for (const [file, { old, now }] of texts) if (old !== now) writeInProject(join(project.root, file), now, file);
  return filled;
}

function readTemplate({ root }: Project, file: string): { readonly old: string; now: string } {
  const old = readTextFile(join(root, file), {
    doing: 'reading the template',
    shown: file,
    maxBytes: MOST_BYTES,
    mendMissing: 'make it, or correct `fill` in the sheet',
  });
  return { old, now: old };
}

async function editorFor(file: string): Promise<Editor> {
  if (/\.ya?ml$/i.test(file)) return (await import('./editors/yaml')).editYaml;
  if (/\.jsonc?$/i.test(file)) return (await import('./editors/json')).editJson;
  if (/\.toml$/i.test(file)) return (await import('./editors/toml')).editToml;
  return (await import('./editors/marks')).editMarks;
}

function cannotFill({ file, at, placeOfAt }: Fill, text: string, fault: EditFault & Partial<Edited>): EmballageError {
  const { expected, found, mend, offset } = fault;
  const where = offset === undefined ? placeOfAt : placeAt(file, text, offset);
  return new EmballageError('TEMPLATE_INVALID', {
    doing: `filling \`${at}\` in ${file}`,
    found: 'a template that it cannot be put into',
    mend: 'mend what is listed; no template was changed',
    problems: [{ place: where, expected, found, mend }],
  });
}

function placeAt(file: string, text: string, offset: number): Place {
  const before = text.slice(0, offset).split('\n');
  return { file, line: before.length, column: (before.at(-1)?.length ?? 0) + 1 };
}
