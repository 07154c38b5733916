/** How a source folder of Go functions is read without its compiler. */
import type { CompilerFiles } from '../compiled/compile/files';
import type { SettingWords } from '../compiled/source-settings';

export const GO_FILES: CompilerFiles = {
  sources: /\.(?:go|s|S|c|h|syso)$/,
  settings: /^go\.(?:mod|sum|work|work\.sum)$/,
  folders: /^vendor\/|(?:^|\/)testdata\//,
};

export const GO_SETTINGS: SettingWords = {
  files: /\.(?:go|c|cc|cpp|cxx|C|h|hh|hpp|hxx)$/,
  call: /\bos\s*\.\s*(?:Getenv|LookupEnv)\s*\(\s*"([A-Za-z_]\w*)"\s*\)/g,
  isDefaulted: (call) => call.includes('LookupEnv'),
  rawText: '`',
};
