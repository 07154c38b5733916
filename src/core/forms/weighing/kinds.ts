/** What kind of content a path says it is. */
import { baseOf } from '../../base/paths';
import type { Weighing } from '../../languages';
import type { PartKind } from './model';

const NATIVE = /\.(?:so(?:\.[\d.]+)?|node|dll|dylib|wasm|a|exe)$/i;
const CODE = /\.(?:rb|sh|pl|php|lua)$/i;
/** What people read about files. */
const ABOUT =
  /^(?:licen[cs]e|copying|notice|readme|changelog|changes|history|authors|contributors)(?:[.-].*)?$|\.(?:map|md|rst)$/i;

export type KindOf = (path: string, isProgram?: boolean) => PartKind;

/** @returns tells the kind; `isProgram` is whether it is an executable without an ending */
export function kindsBy(languages: readonly Weighing[]): KindOf {
  const any = (all: readonly RegExp[]): RegExp => new RegExp(all.map(({ source }) => `(?:${source})`).join('|'), 'i');
  const about = any(languages.flatMap((one) => one.about ?? []));
  const code = any([CODE, ...languages.flatMap((one) => one.code ?? [])]);
  return (path, isProgram = false) => {
    const name = baseOf(path);
    if (ABOUT.test(name) || about.test(path)) return 'metadata';
    if (isProgram) return 'native';
    if (code.test(name)) return 'code';
    return NATIVE.test(name) ? 'native' : 'data';
  };
}

/** May be run, and has no ending that says what it is. */
export function looksLikeProgram(path: string, mode: number): boolean {
  return (mode & 0o111) !== 0 && !/\.[a-z]\w*$/i.test(path);
}
