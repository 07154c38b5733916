/** Core metadata of a distribution (METADATA, in the format of e-mail headers) and the WHEEL file. */

export interface CoreMetadata {
  readonly name: string;
  readonly version: string;
  readonly requiresPython?: string;
  /** `Requires-Dist`, as written. */
  readonly requires: readonly string[];
  readonly extras: readonly string[];
  readonly licenseFiles: readonly string[];
}

/** Metadata larger than this is no metadata; descriptions are long, but not that long. */
export const MAX_METADATA_BYTES = 8 * 1024 * 1024;

/** Headers of a text, each name in small letters with its values in order; the body is passed over. */
export function readHeaders(text: string): Map<string, string[]> {
  const headers = new Map<string, string[]>();
  let last: string[] | undefined;
  for (const line of text.split(/\r?\n/)) {
    if (line === '') break;
    if (/^[ \t]/.test(line) && last !== undefined) {
      last.push(`${last.pop() ?? ''}\n${line.trim()}`);
      continue;
    }
    const colon = line.indexOf(':');
    if (colon <= 0) continue;
    const name = line.slice(0, colon).trim().toLowerCase();
    last = headers.get(name) ?? [];
    last.push(line.slice(colon + 1).trim());
    headers.set(name, last);
  }
  return headers;
}

/** Undefined where name or version are missing. */
export function parseMetadata(text: string): CoreMetadata | undefined {
  const headers = readHeaders(text);
  const [name] = headers.get('name') ?? [];
  const [version] = headers.get('version') ?? [];
  if (name === undefined || version === undefined) return undefined;
  const [requiresPython] = headers.get('requires-python') ?? [];
  return {
    name,
    version,
    ...(requiresPython !== undefined && { requiresPython }),
    requires: (headers.get('requires-dist') ?? []).map((line) => line.replaceAll('\n', ' ')),
    extras: headers.get('provides-extra') ?? [],
    licenseFiles: headers.get('license-file') ?? [],
  };
}
