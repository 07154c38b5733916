/** Requirements that a `pyproject.toml` states: `[project] dependencies`, optional groups and dependency groups (PEP 621, PEP 735). */
import { parse, TomlError } from 'smol-toml';
import type { Problem } from '../../../base/errors';
import { printable } from '../../../base/text';
import { normalizeName } from '../versions/marker';
import { parseRequirement } from '../versions/requirement';
import type { StatedRequirement } from './resolve';

export interface PyprojectRequest {
  readonly text: string;
  /** Path relative to the project, and the name for messages. */
  readonly path: string;
  readonly shown: string;
  /** Optional groups that are wanted too. */
  readonly groups: readonly string[];
}

export interface PyprojectReading {
  readonly stated: readonly StatedRequirement[];
  readonly problems: readonly Problem[];
}

/** Reads TOML; a mistake becomes a problem with its place. */
export function readToml(text: string, shown: string): { value?: Record<string, unknown>; problems: Problem[] } {
  try {
    return { value: parse(text), problems: [] };
  } catch (error) {
    if (!(error instanceof TomlError)) throw error;
    const [message = ''] = error.message.split('\n');
    const place = { file: shown, line: error.line, column: error.column };
    const found = message.replace(/^Invalid TOML document: /, '');
    return { problems: [{ place, expected: 'valid TOML', found, mend: 'mend the line' }] };
  }
}

/** The requirements that a `pyproject.toml` states (PEP 621, PEP 735), with every mistake in them. */
export function readPyproject(request: PyprojectRequest): PyprojectReading {
  const { value, problems } = readToml(request.text, request.shown);
  if (value === undefined) return { stated: [], problems };
  return new Reader(request, value).read();
}

export interface BuildSystem {
  readonly requires: readonly string[];
  readonly backend: string;
  /** Folders of the source in which the backend itself lies. */
  readonly backendPath: readonly string[];
}

/** What builds a source distribution (PEP 517, PEP 518); without a word of it, setuptools as it always did. */
export function buildSystemOf(text: string): BuildSystem {
  const { value } = readToml(text, 'pyproject.toml');
  const system = mapping(value?.['build-system']);
  const texts = (list: unknown): string[] => (Array.isArray(list) ? list.map(String) : []);
  const backend = system['build-backend'];
  return {
    requires: 'requires' in system ? texts(system.requires) : ['setuptools>=40.8.0'],
    backend: typeof backend === 'string' ? backend : 'setuptools.build_meta:__legacy__',
    backendPath: texts(system['backend-path']),
  };
}

class Reader {
  readonly #request: PyprojectRequest;
  readonly #project: Record<string, unknown>;
  readonly #groups: Record<string, unknown>;
  readonly #stated: StatedRequirement[] = [];
  readonly #problems: Problem[] = [];

  constructor(request: PyprojectRequest, value: Record<string, unknown>) {
    this.#request = request;
    this.#project = mapping(value.project);
    this.#groups = mapping(value['dependency-groups']);
  }

  read(): PyprojectReading {
    const dynamic = this.#project.dynamic;
    if (Array.isArray(dynamic) && dynamic.includes('dependencies'))
      this.#problem(
        'dynamic',
        'dependencies that stand in the file',
        '`dependencies` among `dynamic`',
        'list them under `dependencies`',
      );
    this.#list(this.#project.dependencies, 'dependencies');
    for (const group of this.#request.groups) this.#group(group, []);
    return { stated: this.#stated, problems: this.#problems };
  }

  #group(name: string, above: readonly string[]): void {
    const wanted = normalizeName(name);
    const find = (table: Record<string, unknown>): unknown =>
      Object.entries(table).find(([key]) => normalizeName(key) === wanted)?.[1];
    const list = find(mapping(this.#project['optional-dependencies'])) ?? find(this.#groups);
    if (list === undefined || above.includes(wanted))
      this.#problem(
        name,
        'a group that is there, and does not include itself',
        `\`${printable(name)}\``,
        'correct the name of the group',
      );
    else this.#list(list, name, [...above, wanted]);
  }

  #list(list: unknown, key: string, above: readonly string[] = []): void {
    if (list === undefined) return;
    if (!Array.isArray(list)) {
      this.#problem(key, 'a list of requirements', 'something else', 'write a list of texts');
      return;
    }
    for (const item of list as unknown[]) {
      const included = mapping(item)['include-group'];
      if (typeof included === 'string') this.#group(included, above);
      else if (typeof item === 'string') this.#requirement(item);
      else this.#problem(key, 'a requirement as text', 'something else', 'write it as text');
    }
  }

  #requirement(text: string): void {
    const reading = parseRequirement(text);
    const line = this.#lineOf(text);
    if (reading.kind === 'fault')
      this.#problem(text, reading.fault.expected, reading.fault.found, 'write it as `name>=1.2; marker`');
    else if (reading.requirement.url !== undefined)
      this.#problem(
        text,
        'a name with versions',
        `\`${printable(text)}\``,
        'take it from an index or a folder of wheels',
      );
    else this.#stated.push({ requirement: reading.requirement, by: `${this.#request.path}:${String(line)}` });
  }

  /** The line a text stands on; the library keeps no places. */
  #lineOf(text: string): number {
    const { text: whole } = this.#request;
    const at = Math.max(whole.indexOf(JSON.stringify(text)), whole.indexOf(`'${text}'`), whole.indexOf(text));
    return at < 0 ? 1 : whole.slice(0, at).split('\n').length;
  }

  #problem(text: string, expected: string, found: string, mend: string): void {
    const place = { file: this.#request.shown, line: this.#lineOf(text), column: 1 };
    this.#problems.push({ place, expected, found, mend });
  }
}

function mapping(value: unknown): Record<string, unknown> {
  return typeof value === 'object' && value !== null && !Array.isArray(value) ? (value as Record<string, unknown>) : {};
}
