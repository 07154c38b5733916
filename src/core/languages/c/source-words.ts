/** How a source folder of functions in C and C++ is read without its compiler. */
import type { CompilerFiles } from '../compiled/compile/files';
import type { SettingWords } from '../compiled/source-settings';

export const C_FILES: CompilerFiles = {
  sources: /\.(?:c|cc|cpp|cxx|C|h|hh|hpp|hxx|inc|s|S|o|a)$/,
  settings:
    /^(?:[Mm]akefile|GNUmakefile|CMakeLists\.txt|meson\.build|configure(?:\.ac)?|compile_flags\.txt|\.clang-format|\.clang-tidy)$/,
  folders: /^(?:CMakeFiles|build)\//,
};

export const C_SETTINGS: SettingWords = {
  files: /\.(?:c|cc|cpp|cxx|C|h|hh|hpp|hxx)$/,
  call: /\b(?:secure_)?getenv\s*\(\s*"([A-Za-z_]\w*)"\s*\)/g,
  isDefaulted: (_call, rest) => /^\s*\?/.test(rest),
};
