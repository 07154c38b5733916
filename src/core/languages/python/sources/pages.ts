/** The pages of an index of Python packages (the simple repository interface), in JSON and in HTML. */
import { createHash } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Page, PageFault, PageRequest, Pages } from '../../pages';
import { makeWheels } from '../wheel/make-wheel';
import { parseWheelName } from '../versions/tags';

interface OfferedFile {
  readonly file: string;
  readonly bytes: Buffer;
  readonly sha256: string;
  readonly metadata?: string;
  readonly requiresPython?: string;
  readonly yanked?: string;
}

/** Wheels by normalised project name. */
type Wheels = ReadonlyMap<string, readonly OfferedFile[]>;

const JSON_TYPE = 'application/vnd.pypi.simple.v1+json';

/** The pages of a stand-in index. */
export function openPages(): Pages {
  const wheels = new Map<string, OfferedFile[]>();
  const add = (name: string, file: Omit<OfferedFile, 'sha256'>): void => {
    const sha256 = createHash('sha256').update(file.bytes).digest('hex');
    wheels.set(name, [...(wheels.get(name) ?? []), { ...file, sha256 }]);
  };
  return {
    take(folder, shown, name) {
      const wheel = parseWheelName(name);
      if (wheel !== undefined) add(wheel.name, { file: name, bytes: readFileSync(join(folder, name)) });
      else if (!existsSync(join(folder, name, 'pyproject.toml'))) return false;
      else for (const made of makeWheels(join(folder, name), join(shown, name))) add(made.name, made);
      return true;
    },
    page: (request) => Promise.resolve(pageAt(wheels, request)),
    offer(base) {
      const url = `${base}/simple`;
      const files = [...wheels.values()].reduce((sum, some) => sum + some.length, 0);
      const naming = ['in the sheet', `sources: [{ index: "${url}" }]`] as const;
      return { key: 'url', url, projects: [...wheels.keys()], files, line: undefined, naming };
    },
  };
}

function pageAt(wheels: Wheels, { path, accept, fault }: PageRequest): Page | undefined {
  const [, project] = /^\/simple\/([^/]+)\/$/.exec(path) ?? [];
  const [, name] = /^\/files\/([^/]+)$/.exec(path) ?? [];
  if (path === '/simple/') return listPage(wheels);
  if (project !== undefined) return projectPage(wheels, project, accept, fault);
  return name === undefined ? undefined : filePage(wheels, name);
}

function listPage(wheels: Wheels): Page {
  const projects = [...wheels.keys()].sort().map((name) => ({ name }));
  const body = JSON.stringify({ meta: { 'api-version': '1.1' }, projects });
  return { kind: 'text', type: JSON_TYPE, body, isTagged: false };
}

function projectPage(wheels: Wheels, project: string, accept: string, fault: PageFault | undefined): Page | undefined {
  const files = wheels.get(project);
  if (files === undefined) return undefined;
  const wantsJson = accept.includes(JSON_TYPE) && fault !== 'html-only';
  if (fault === 'html-as-json')
    return { kind: 'text', type: JSON_TYPE, body: '<html>not what you asked for</html>', isTagged: false };
  return wantsJson
    ? { kind: 'text', type: JSON_TYPE, body: JSON.stringify(jsonPage(project, files, fault)), isTagged: true }
    : { kind: 'text', type: 'text/html', body: htmlPage(project, files), isTagged: true };
}

function jsonPage(project: string, files: readonly OfferedFile[], fault: PageFault | undefined): object {
  return {
    meta: { 'api-version': '1.1' },
    name: project,
    files: files.map(({ file, sha256, bytes, requiresPython, yanked, metadata }) => ({
      filename: file,
      url: `../../files/${file}`,
      hashes: { sha256: fault === 'wrong-digest' ? '0'.repeat(64) : sha256 },
      size: bytes.length + (fault === 'wrong-size' ? 1 : 0),
      'requires-python': requiresPython ?? null,
      yanked: yanked ?? false,
      ...(metadata !== undefined && { 'core-metadata': true }),
    })),
  };
}

function htmlPage(project: string, files: readonly OfferedFile[]): string {
  const links = files.map(({ file, sha256, requiresPython, yanked }) => {
    const python = requiresPython === undefined ? '' : ` data-requires-python="${escaped(requiresPython)}"`;
    const gone = yanked === undefined ? '' : ` data-yanked="${escaped(yanked)}"`;
    return `<a href="../../files/${escaped(file)}#sha256=${sha256}"${python}${gone}>${escaped(file)}</a><br>`;
  });
  return `<!DOCTYPE html>\n<html><head><title>Links for ${escaped(project)}</title></head><body>\n${links.join('\n')}\n</body></html>\n`;
}

function filePage(wheels: Wheels, name: string): Page | undefined {
  const wanted = name.replace(/\.metadata$/, '');
  const found = [...wheels.values()].flat().find(({ file }) => file === wanted);
  if (found === undefined || (name !== wanted && found.metadata === undefined)) return undefined;
  return name === wanted
    ? { kind: 'file', bytes: found.bytes }
    : { kind: 'text', type: 'text/plain', body: found.metadata ?? '', isTagged: false };
}

function escaped(text: string): string {
  return text.replace(/[&<>"]/g, (char) => `&#${String(char.charCodeAt(0))};`);
}
