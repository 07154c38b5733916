/** What differs from language to language in a packing sheet: names of files, keys, forms. */
import { JVM_KEYS } from '../languages/jvm/keys';
import type { Form } from './model';
import { NATIVE_KEYS } from '../languages/compiled/keys';

/** What the file of an entry is called, by language. */
export const ENTRY_FILES: Readonly<Record<string, { readonly pattern: RegExp; readonly endings: string }>> = {
  node: {
    pattern: /(?<!\.d)\.[cm]?[jt]sx?$/,
    endings: '`.mjs`, `.cjs`, `.js`, or `.ts` and its kin',
  },
  python: { pattern: /^(?:[A-Za-z_]\w*\/)*[A-Za-z_]\w*\.py$/, endings: '`.py` and can be imported' },
  java: { pattern: /^[A-Za-z_$][\w$]*(?:\.[A-Za-z_$][\w$]*)*$/, endings: 'the name of a class, with dots' },
  rust: { pattern: /\.rs$|(?:^|\/)[^./]+$/, endings: '`.rs`, or is an executable' },
  go: { pattern: /\.go$|(?:^|\/)[^./]+$/, endings: '`.go`, or is an executable' },
  c: {
    pattern: /\.(?:c|cc|cpp|cxx|C)$|(?:^|\/)[^./]+$/,
    endings: '`.c`, `.cc`, `.cpp` or `.cxx`, or is an executable',
  },
};

/** Names of files that state requirements. */
export const NEED_FILES: Readonly<Record<string, { readonly pattern: RegExp; readonly expected: string }>> = {
  node: { pattern: /^package-lock\.json$|^node_modules$/, expected: '`package-lock.json`, or `node_modules`' },
  java: { pattern: /^pom\.xml$|\.pom$/, expected: '`pom.xml`' },
  rust: { pattern: /^Cargo\.lock$/, expected: '`Cargo.lock`' },
  go: { pattern: /^go\.sum$/, expected: '`go.sum`' },
  c: { pattern: /(?!)/, expected: 'nothing: libraries of C come with the compiler, or lie in the source folder' },
  python: {
    pattern: /\.txt$|\.in$|^pyproject\.toml$|^pylock(?:\.[^.]+)?\.toml$/,
    expected: 'a requirements file (`*.txt`), `pyproject.toml` or `pylock.toml`',
  },
};

/** Keys that are for functions of one language only. */
export const KEYS_OF: Readonly<
  Record<
    string,
    readonly ('bytecode' | 'link' | 'minify' | 'sourcemap' | (typeof JVM_KEYS)[number] | (typeof NATIVE_KEYS)[number])[]
  >
> = {
  python: ['bytecode', 'sources'],
  node: ['link', 'minify', 'sourcemap'],
  java: JVM_KEYS,
  rust: NATIVE_KEYS,
  go: NATIVE_KEYS,
  c: NATIVE_KEYS,
};
/** As people call them. */
export const LANGUAGES: Readonly<Record<string, string>> = {
  python: 'Python',
  node: 'Node.js',
  java: 'JVM',
  rust: 'Rust',
  go: 'Go',
  c: 'C',
};
/** Forms of artifacts, by language. */
export const FORMS_OF: Readonly<Record<string, readonly Form[]>> = {
  java: ['jar', 'image'],
  rust: ['zip', 'binary', 'image'],
  go: ['zip', 'binary', 'image'],
  c: ['zip', 'binary', 'image'],
};
/** Those of the other languages. */
export const USUAL_FORMS: readonly Form[] = ['zip', 'image'];
/** Interfaces of web applications, by language. */
export const ADAPTERS_OF: Readonly<Record<string, readonly string[]>> = { python: ['wsgi', 'asgi'], node: ['http'] };
