/** Names of symbols as compilers write them, and the source package that each comes from. */
import { ownOf } from '../../base/own';

export interface SymbolName {
  /** As people read it; as it stands there where it cannot be read. */
  readonly shown: string;
  /** Crate, module or folder of source; undefined where the name does not tell. */
  readonly package?: string;
}

/** Escapes of the older Rust scheme, which is that of C++ with texts in place of signs. */
const ESCAPES: Readonly<Record<string, string>> = {
  SP: '@',
  BP: '*',
  RF: '&',
  LT: '<',
  GT: '>',
  LP: '(',
  RP: ')',
  C: ',',
};

/** A symbol as people read it, with the source package that its mangling tells. */
export function readSymbolName(name: string): SymbolName {
  // LLVM appends what it made of a function: `.llvm.123`, `.cold`.
  const plain = name.replace(/\.(?:llvm\.\d+|cold|part\.\d+|isra\.\d+|constprop\.\d+)/g, '');
  if (/^_ZN.*17h[0-9a-f]{16}E$/.test(plain)) return readOldRust(plain);
  if (plain.startsWith('_R')) return readNewRust(plain);
  return readGo(plain) ?? { shown: name };
}

/** `_ZN4core3fmt5write17h0123456789abcdefE` */
function readOldRust(name: string): SymbolName {
  const parts: string[] = [];
  let at = '_ZN'.length;
  for (;;) {
    const [digits = ''] = /^\d+/.exec(name.slice(at, at + 6)) ?? [];
    if (digits === '') break;
    at += digits.length;
    parts.push(unescapeRust(name.slice(at, at + Number(digits))));
    at += Number(digits);
  }
  parts.pop();
  const [first = ''] = parts;
  return { shown: parts.join('::'), ...packageOfPath(first) };
}

function unescapeRust(part: string): string {
  return part
    .replace(/^_(?=\$)/, '')
    .replace(/\$u([0-9a-f]{1,6})\$/g, (whole, hex: string) => {
      const code = Number.parseInt(hex, 16);
      return code > 0x1f && code < 0xd800 ? String.fromCodePoint(code) : whole;
    })
    .replace(/\$([A-Z]{1,2})\$/g, (whole, key: string) => ownOf(ESCAPES, key) ?? whole)
    .replaceAll('..', '::');
}

/** The crate of a path: the first name in it, also of `<alloc::string::String as core::fmt::Display>`. */
function packageOfPath(path: string): Pick<SymbolName, 'package'> {
  const [found = ''] = /[A-Za-z_]\w*/.exec(path.replace(/^[<&*(\[\s]*(?:mut |dyn |const )*/, '')) ?? [];
  // `<T as core::fmt::Debug>` is code of the trait's crate.
  const [, trait] = / as (\w+)::/.exec(path) ?? [];
  const crate = /^(?:[A-Z]\w?|)$/.test(found) ? (trait ?? found) : found;
  return crate === '' ? {} : { package: crate };
}

/** The newer Rust scheme (RFC 2603): the crate that roots the first path, `C` with a number to tell versions apart. */
function readNewRust(name: string): SymbolName {
  const names = [...name.matchAll(/(?<=[a-zA-Z_0-9])(\d+)_?(?=[A-Za-z_])/g)].flatMap(({ 1: digits = '', index }) => {
    const from = index + digits.length + (name[index + digits.length] === '_' ? 1 : 0);
    const text = name.slice(from, from + Number(digits));
    return text.length === Number(digits) && /^[A-Za-z_]\w*$/.test(text) ? [text] : [];
  });
  const [, digits = '', rest = ''] = /C(?:s[0-9A-Za-z]*_)?(\d+)_?([A-Za-z_]\w*)/.exec(name) ?? [];
  const root = rest.slice(0, Number(digits));
  return root === '' ? { shown: name } : { shown: names.length > 1 ? names.join('::') : root, package: root };
}

/** `github.com/a/b.(*T).M`, `runtime.mallocgc`, `type:.eq.go/ast.Node` */
function readGo(name: string): SymbolName | undefined {
  const [, path] = /^(?:type:\.\w+\.)?((?:[\w.~%-]+\/)*[\w%-]+)\.[\w(·*[{]/.exec(name) ?? [];
  return path === undefined ? undefined : { shown: name, package: path.replaceAll('%2e', '.') };
}
