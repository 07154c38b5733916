/** Requirements files: one requirement or option a line, as installers read them. What cannot be honoured is refused by line. */
import { ownOf } from '../../../base/own';
import type { Problem } from '../../../base/errors';
import { folderOf, joinPath, settlePath } from '../../../base/paths';
import { printable } from '../../../base/text';
import { parseRequirement } from '../versions/requirement';
import type { StatedRequirement } from './resolve';
import type { StatedIndex } from '../sources/pip-settings';

export interface RequirementsReading {
  readonly stated: readonly StatedRequirement[];
  /** Folders (relative to the project) or addresses of pages with links to files. */
  readonly links: readonly string[];
  /** What is said of indexes. */
  readonly indexes: readonly StatedIndex[];
  readonly problems: readonly Problem[];
  /** Every file that was read, relative to the project. */
  readonly files: readonly string[];
}

export interface RequirementsRequest {
  /** Relative to the project. */
  readonly path: string;
  /** Text of a file of the project; throws where it cannot be read. */
  readonly read: (path: string) => string;
  /** The name shown in messages. */
  readonly shown: (path: string) => string;
}

const MAX_FILES = 64;

const NO_FOLDERS = ['a package, not a folder', 'build a wheel of it and name its folder as a source'] as const;

/** Options that installers know and that cannot be honoured: what was expected instead, and how to mend it. */
const REFUSED_OPTIONS: Readonly<Record<string, readonly [expected: string, mend: string]>> = {
  '-e': NO_FOLDERS,
  '--editable': NO_FOLDERS,
};

const SHORT_OPTIONS: Readonly<Record<string, string>> = {
  '-r': '--requirement',
  '-c': '--constraint',
  '-f': '--find-links',
  '-i': '--index-url',
};

/** Certificates are verified all the same, digests too, and wheels are what is taken. */
const DONE_ANYWAY = ['--require-hashes', '--prefer-binary', '--only-binary', '--trusted-host'];

/** The requirements of a `requirements.txt` and of those that it includes, with every mistake in them. */
export function readRequirementsFile(request: RequirementsRequest): RequirementsReading {
  const reader = new Reader(request);
  reader.file(request.path, false);
  return reader;
}

interface LogicalLine {
  readonly text: string;
  readonly line: number;
}

class Reader implements RequirementsReading {
  readonly stated: StatedRequirement[] = [];
  readonly links: string[] = [];
  readonly indexes: StatedIndex[] = [];
  readonly problems: Problem[] = [];
  readonly files: string[] = [];
  readonly #request: RequirementsRequest;

  constructor(request: RequirementsRequest) {
    this.#request = request;
  }

  file(path: string, isConstraint: boolean): void {
    if (this.files.includes(path)) return;
    this.files.push(path);
    for (const line of logicalLines(this.#request.read(path))) this.#line(path, line, isConstraint);
  }

  #line(path: string, line: LogicalLine, isConstraint: boolean): void {
    if (line.text.startsWith('-')) {
      this.#option(path, line, isConstraint);
      return;
    }
    const [requirementText = '', ...options] = line.text.split(/\s+(?=--)/);
    const hashes: string[] = [];
    for (const option of options) {
      const [, sha256] = /^--hash[=\s]\s*sha256:([0-9a-f]{64})$/i.exec(option.trim()) ?? [];
      if (sha256 !== undefined) hashes.push(sha256.toLowerCase());
      else if (/^--hash[=\s]\s*sha(?:384|512):/.test(option))
        this.#refuse(path, line, option, '`--hash=sha256:…`', 'give its SHA-256, which indexes state');
      else this.#refuse(path, line, option, '`--hash=sha256:…`', 'take the option out');
    }
    this.#requirement(path, line, requirementText, { isConstraint, hashes });
  }

  #requirement(
    path: string,
    line: LogicalLine,
    text: string,
    { isConstraint, hashes }: { isConstraint: boolean; hashes: readonly string[] },
  ): void {
    const by = `${path}:${String(line.line)}`;
    if (/^(?:git|hg|svn|bzr)\+|^[a-z]+:\/\/|^\.{0,2}\/|\.(?:whl|zip|tar\.gz)$/i.test(text)) {
      this.#refuse(path, line, text, 'a name with versions', 'put the file into a folder and name that as a source');
      return;
    }
    const reading = parseRequirement(text);
    if (reading.kind === 'fault') {
      const { column, expected, found } = reading.fault;
      this.#add(path, line.line, column, expected, found, 'write it as `name>=1.2; marker`');
    } else if (reading.requirement.url !== undefined)
      this.#refuse(path, line, text, 'a name with versions', 'take it from an index or a folder of wheels');
    else this.stated.push({ requirement: reading.requirement, by, ...(isConstraint && { isConstraint }), hashes });
  }

  #option(path: string, line: LogicalLine, isConstraint: boolean): void {
    const [, name = '', value = ''] = /^(-\w|--[\w-]+)(?:[=\s]\s*(.*))?$/.exec(line.text) ?? [];
    const whole = ownOf(SHORT_OPTIONS, name) ?? name;
    if (whole === '--requirement') this.#include(path, line, value, isConstraint);
    else if (whole === '--constraint') this.#include(path, line, value, true);
    else if (whole === '--find-links') this.#links(path, line, value);
    else if (whole === '--index-url' || whole === '--extra-index-url' || whole === '--no-index')
      this.#index(path, line, whole, value);
    else if (!DONE_ANYWAY.includes(whole)) {
      const [expected, mend] = ownOf(REFUSED_OPTIONS, name) ?? [
        'an option that can be honoured (-r, -c, -i, --extra-index-url, --no-index, --find-links)',
        'take it out',
      ];
      this.#refuse(path, line, line.text, expected, mend);
    }
  }

  #include(path: string, line: LogicalLine, value: string, isConstraint: boolean): void {
    const target = settlePath(joinPath(folderOf(path), value));
    if (target === undefined || value === '' || /^[a-z]+:/i.test(value)) {
      this.#refuse(path, line, line.text, 'a file of the project', 'copy it into the project');
    } else if (this.files.length >= MAX_FILES)
      this.#refuse(path, line, line.text, `at most ${String(MAX_FILES)} files`, 'put them together');
    else this.file(target, isConstraint);
  }

  #index(
    path: string,
    line: LogicalLine,
    option: '--index-url' | '--extra-index-url' | '--no-index',
    value: string,
  ): void {
    const by = `${path}:${String(line.line)}`;
    if (option === '--no-index') this.indexes.push({ option: 'no-index', at: '', by });
    else if (/^https?:\/\//.test(value))
      this.indexes.push({ option: option === '--index-url' ? 'index-url' : 'extra-index-url', at: value, by });
    else this.#refuse(path, line, line.text, 'the address of an index', 'give its address, `https://…/simple`');
  }

  #links(path: string, line: LogicalLine, value: string): void {
    if (/^https?:\/\//.test(value)) this.links.push(value);
    else {
      const target = settlePath(joinPath(folderOf(path), value));
      if (target === undefined)
        this.#refuse(path, line, line.text, 'a folder of the project', 'copy it into the project');
      else this.links.push(target);
    }
  }

  #refuse(path: string, line: LogicalLine, found: string, expected: string, mend: string): void {
    this.#add(path, line.line, 1, expected, `\`${printable(found)}\``, mend);
  }

  #add(path: string, line: number, column: number, expected: string, found: string, mend: string): void {
    this.problems.push({ place: { file: this.#request.shown(path), line, column }, expected, found, mend });
  }
}

/** Lines with continuations joined and comments taken out. */
function logicalLines(text: string): LogicalLine[] {
  const lines: LogicalLine[] = [];
  let open: LogicalLine | undefined;
  for (const [i, raw] of text.split(/\r?\n/).entries()) {
    const isComment = /^\s*#/.test(raw);
    const plain: string = isComment ? '' : raw.replace(/\s+#.*$/, '');
    const joined: LogicalLine =
      open === undefined ? { text: plain, line: i + 1 } : { text: open.text + plain, line: open.line };
    open = joined.text.endsWith('\\') ? { text: `${joined.text.slice(0, -1)} `, line: joined.line } : undefined;
    if (open === undefined && joined.text.trim() !== '') lines.push({ text: joined.text.trim(), line: joined.line });
  }
  if (open !== undefined && open.text.trim() !== '') lines.push({ ...open, text: open.text.trim() });
  return lines;
}
