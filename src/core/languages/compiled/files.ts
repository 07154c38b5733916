/** Which files of a source folder are for compilers, and which belong to the function. */
import { baseOf } from '../../base/paths';
import type { NativeLanguage } from '../../sheet';

const SOURCES: Readonly<Record<NativeLanguage, RegExp>> = {
  rust: /\.rs$/,
  go: /\.(?:go|s|S|c|h|syso)$/,
  c: /\.(?:c|cc|cpp|cxx|C|h|hh|hpp|hxx|inc|s|S|o|a)$/,
};
const SETTINGS: Readonly<Record<NativeLanguage, RegExp>> = {
  rust: /^(?:Cargo\.(?:toml|lock)|rust-toolchain(?:\.toml)?|clippy\.toml|rustfmt\.toml|\.rustfmt\.toml)$/,
  go: /^go\.(?:mod|sum|work|work\.sum)$/,
  c: /^(?:[Mm]akefile|GNUmakefile|CMakeLists\.txt|meson\.build|configure(?:\.ac)?|compile_flags\.txt|\.clang-format|\.clang-tidy)$/,
};
const FOLDERS: Readonly<Record<NativeLanguage, RegExp>> = {
  rust: /^(?:\.cargo|vendor|target|tests|benches|examples)\//,
  go: /^vendor\/|(?:^|\/)testdata\//,
  c: /^(?:CMakeFiles|build)\//,
};

/** Whether a file is read when the function is compiled, and not when it runs. */
export function isForCompiler(path: string, language: NativeLanguage): boolean {
  return SOURCES[language].test(path) || SETTINGS[language].test(baseOf(path)) || FOLDERS[language].test(path);
}

/** Whether the entry is source, so that it has to be compiled; otherwise it is an executable already. */
export function isSource(path: string): boolean {
  return /\.(?:rs|go|c|cc|cpp|cxx|C)$/.test(path);
}

export function isCxx(path: string): boolean {
  return /\.(?:cc|cpp|cxx|C)$/.test(path);
}
