/** How a source folder of Rust functions is read without its compiler. */
import type { CompilerFiles } from '../../compiled/compile/files';
import type { SettingWords } from '../../compiled/source-settings';

const SOURCES = /\.rs$/;

export const RUST_FILES: CompilerFiles = {
  sources: SOURCES,
  settings: /^(?:Cargo\.(?:toml|lock)|rust-toolchain(?:\.toml)?|clippy\.toml|rustfmt\.toml|\.rustfmt\.toml)$/,
  folders: /^(?:\.cargo|vendor|target|tests|benches|examples)\//,
};

export const RUST_SETTINGS: SettingWords = {
  files: SOURCES,
  call: /\benv\s*::\s*var(?:_os)?\s*\(\s*"([A-Za-z_]\w*)"\s*\)/g,
  isDefaulted: (_call, rest) => /^\s*\.\s*(?:unwrap_or|ok\b|is_ok|is_err|map_or)/.test(rest),
  rawText: 'r',
};
