/** Registries of crates through their sparse index (The Cargo Book, "Registry Index"): where a crate’s file lies. */
import { EmballageError } from '../../../base/errors';
import { printable } from '../../../base/text';
import { NOT_FOUND, type HttpClient } from '../../../sources';

const MAX_CONFIG_BYTES = 64 * 1024;

/**
 * The address of the file of a crate, by the template in the registry’s `config.json`.
 * @throws EmballageError SOURCE_INVALID where the registry does not say
 */
export async function crateAddress(
  http: HttpClient,
  index: string,
  crate: { readonly name: string; readonly version: string; readonly sha256: string },
): Promise<string> {
  const url = `${index.replace(/^sparse\+/, '').replace(/\/+$/, '')}/config.json`;
  const doing = 'asking the registry where its crates are';
  const page = await http.fetch({ url, maxBytes: MAX_CONFIG_BYTES, doing });
  const template = page === NOT_FOUND ? undefined : downloadTemplate(page.bytes.toString('utf8'));
  if (template === undefined)
    throw new EmballageError('SOURCE_INVALID', {
      doing,
      where: printable(url),
      expected: 'a `config.json` with `dl`',
      found: page === NOT_FOUND ? 'nothing there' : 'none',
      mend: 'name the sparse index of a registry of crates under `sources`',
    });
  const words: Readonly<Record<string, string>> = {
    crate: crate.name,
    version: crate.version,
    prefix: prefixOf(crate.name),
    lowerprefix: prefixOf(crate.name.toLowerCase()),
    'sha256-checksum': crate.sha256,
  };
  const hasMarkers = Object.keys(words).some((word) => template.includes(`{${word}}`));
  const whole = hasMarkers ? template : `${template}/{crate}/{version}/download`;
  return whole.replace(/\{([\w-]+)\}/g, (marker, word: string) => words[word] ?? marker);
}

function downloadTemplate(text: string): string | undefined {
  try {
    const { dl } = JSON.parse(text) as { dl?: unknown };
    return typeof dl === 'string' && /^https?:/.test(dl) ? dl : undefined;
  } catch {
    return undefined;
  }
}

/** The folders in which an index keeps a crate: `1`, `2`, `3/a`, `ab/cd`. */
function prefixOf(name: string): string {
  if (name.length <= 2) return String(name.length);
  return name.length === 3 ? `3/${name.slice(0, 1)}` : `${name.slice(0, 2)}/${name.slice(2, 4)}`;
}
