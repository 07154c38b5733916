/**
 * Configuration files as Python's `configparser` reads them: sections, keys with `=` or `:`, and values that go on in
 * indented lines. Interpolation is off, as installers have it.
 */

export interface ConfigValue {
  readonly section: string;
  /** In small letters, with dashes. */
  readonly key: string;
  readonly value: string;
  /** Counting from 1. */
  readonly line: number;
}

export interface ConfigFault {
  readonly line: number;
  readonly found: string;
}

/** @returns the values in their order, and the first line that cannot be read */
export function readConfig(text: string): { readonly values: readonly ConfigValue[]; readonly fault?: ConfigFault } {
  const values: ConfigValue[] = [];
  let section: string | undefined;
  let open: { key: string; lines: string[]; line: number } | undefined;
  const close = (): void => {
    if (open !== undefined && section !== undefined)
      values.push({ section, key: open.key, value: open.lines.join('\n').trim(), line: open.line });
    open = undefined;
  };
  for (const [i, raw] of text.split(/\r?\n/).entries()) {
    if (raw.trim() === '' || /^\s*[#;]/.test(raw)) continue;
    if (open !== undefined && /^\s/.test(raw)) {
      open.lines.push(raw.trim());
      continue;
    }
    close();
    const [, name] = /^\s*\[([^\]]+)\]\s*$/.exec(raw) ?? [];
    if (name !== undefined) {
      section = name.trim();
      continue;
    }
    const [, key, value] = /^\s*([^=:\s][^=:]*?)\s*[=:]\s*(.*)$/.exec(raw) ?? [];
    if (key === undefined || value === undefined || section === undefined)
      return { values, fault: { line: i + 1, found: raw.trim() } };
    open = { key: key.toLowerCase().replaceAll('_', '-'), lines: [value], line: i + 1 };
  }
  close();
  return { values };
}
