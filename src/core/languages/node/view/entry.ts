/** Whether a member that the host is told to call is there, across the modules of an artifact. */
import { folderOf, joinPath, settlePath } from '../../../base/paths';
import { readModule, type Exported, type Format, type SyntaxFault } from './module-exports';

/** Text of a file of the artifact, or undefined where there is none. */
export type ReadText = (path: string) => string | undefined;

export type MemberVerdict =
  /** With the file that defines it, the arguments it counts on and what else its module says, where these can be seen. */
  | { readonly kind: 'found'; readonly file?: string; readonly wanted?: number; readonly exported?: Exported }
  /** It is exported but is no function. */
  | { readonly kind: 'not-callable'; readonly what: string }
  | { readonly kind: 'missing'; readonly members: readonly string[] }
  /** Reading cannot tell. */
  | { readonly kind: 'unseen'; readonly file: string; readonly line?: number; readonly why: string }
  | { readonly kind: 'syntax'; readonly file: string; readonly fault: SyntaxFault };

const MAX_MODULES = 200;

/** Looks for `member` among what `file` exports, through modules that pass on what others export. */
export function findMember(read: ReadText, file: string, member: string): MemberVerdict {
  const search = new Search(read);
  const verdict = search.find(file, member);
  if (verdict.kind !== 'missing') return verdict;
  return { kind: 'missing', members: [...search.listed].sort() };
}

class Search {
  /** Names met in the entry module and in those it passes on whole. */
  readonly listed = new Set<string>();
  readonly #read: ReadText;
  readonly #visited = new Set<string>();

  constructor(read: ReadText) {
    this.#read = read;
  }

  find(file: string, member: string): MemberVerdict {
    const missing: MemberVerdict = { kind: 'missing', members: [] };
    const mark = `${file}#${member}`;
    if (this.#visited.has(mark)) return missing;
    if (this.#visited.size >= MAX_MODULES)
      return { kind: 'unseen', file, why: `more than ${String(MAX_MODULES)} modules pass it on` };
    this.#visited.add(mark);
    const code = this.#read(file);
    if (code === undefined) return { kind: 'unseen', file, why: 'the module is not in the artifact' };
    const reading = readModule(code, this.#formatOf(file));
    if (reading.kind === 'syntax') return { kind: 'syntax', file, fault: reading.fault };
    const { members, all, unseen } = reading.exports;
    for (const name of members.keys()) this.listed.add(name);
    const exported = members.get(member);
    if (exported !== undefined) return this.#judge(file, exported, reading.format);
    const passedOn = this.#findInAll(file, member, all, reading.format);
    if (passedOn.kind !== 'missing' || unseen === undefined) return passedOn;
    return { kind: 'unseen', file, line: unseen.line, why: unseen.what };
  }

  #judge(file: string, exported: Exported, format: Format): MemberVerdict {
    if (exported.from !== undefined) {
      const target = this.#resolve(file, exported.from.specifier, format);
      // What a package exports is its own matter; that it is passed on under this name is certain.
      return target === undefined ? { kind: 'found' } : this.find(target, exported.from.name);
    }
    return exported.callable === 'no'
      ? { kind: 'not-callable', what: exported.what ?? 'no function' }
      : { kind: 'found', file, exported, ...(exported.wanted !== undefined && { wanted: exported.wanted }) };
  }

  #findInAll(file: string, member: string, all: readonly string[], format: Format): MemberVerdict {
    let unseen: MemberVerdict | undefined;
    for (const specifier of all) {
      const target = this.#resolve(file, specifier, format);
      const verdict: MemberVerdict =
        target === undefined
          ? { kind: 'unseen', file, why: `everything that \`${specifier}\` exports is passed on` }
          : this.find(target, member);
      if (verdict.kind === 'unseen') unseen ??= verdict;
      else if (verdict.kind !== 'missing') return verdict;
    }
    return unseen ?? { kind: 'missing', members: [] };
  }

  /** A relative specifier as a path in the artifact. ES modules name the file; CommonJS may leave its ending out. */
  #resolve(file: string, specifier: string, format: Format): string | undefined {
    if (!specifier.startsWith('.')) return undefined;
    const path = settlePath(joinPath(folderOf(file), specifier));
    if (path === undefined) return undefined;
    const endings = format === 'esm' ? [''] : ['', '.js', '.json', '/index.js'];
    return endings.map((ending) => path + ending).find((candidate) => this.#read(candidate) !== undefined) ?? path;
  }

  /** As Node.js decides: by the ending, else by the nearest package.json; undefined where the syntax decides. */
  #formatOf(file: string): Format | undefined {
    if (file.endsWith('.mjs')) return 'esm';
    if (file.endsWith('.cjs')) return 'cjs';
    for (let folder = folderOf(file); ; folder = folderOf(folder)) {
      const text = this.#read(joinPath(folder, 'package.json'));
      if (text !== undefined) return typeOfPackage(text);
      if (folder === '') return undefined;
    }
  }
}

function typeOfPackage(text: string): Format | undefined {
  try {
    const { type } = JSON.parse(text) as { type?: unknown };
    return type === 'module' ? 'esm' : type === 'commonjs' ? 'cjs' : undefined;
  } catch {
    return undefined;
  }
}
