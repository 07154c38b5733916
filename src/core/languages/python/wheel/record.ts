/** RECORD, the list of a distribution's files (PEP 376, PEP 627): comma-separated rows of path, digest and size. */

export interface RecordRow {
  readonly path: string;
  readonly algorithm?: string;
  /** URL-safe base64 without padding. */
  readonly digest?: string;
  readonly size?: number;
}

/** The rows of a RECORD (binary distribution format, “The .dist-info directory”). */
export function readRecord(text: string): RecordRow[] {
  return csvRows(text).flatMap(([path = '', hash = '', size = '']) => {
    if (path === '') return [];
    const [, algorithm, digest] = /^([^=]+)=(.*)$/.exec(hash) ?? [];
    return [
      {
        path: path.replaceAll('\\', '/'),
        ...(algorithm !== undefined &&
          digest !== undefined && { algorithm: algorithm.toLowerCase(), digest: digest.replace(/=+$/, '') }),
        ...(/^\d+$/.test(size) && { size: Number(size) }),
      },
    ];
  });
}

/** One row a file, `\n` at the end of each. @param files with SHA-256 in hexadecimal; none for RECORD itself */
export function formatRecord(
  files: readonly { readonly path: string; readonly sha256?: string; readonly size?: number }[],
): string {
  return files
    .map(({ path, sha256, size }) => {
      const hash = sha256 === undefined ? '' : `sha256=${Buffer.from(sha256, 'hex').toString('base64url')}`;
      return `${quoted(path)},${hash},${size === undefined || sha256 === undefined ? '' : String(size)}\n`;
    })
    .join('');
}

function quoted(field: string): string {
  return /[",\n\r]/.test(field) ? `"${field.replaceAll('"', '""')}"` : field;
}

/** A field and what ends it: a comma, the end of the line, of the text. */
const PLAIN = /([^",\r\n]*)(,|\r?\n|$)/y;
const QUOTED = /"((?:[^"]|"")*)"(,|\r?\n|$)/y;

/** Rows of fields; a field may be quoted and then hold commas, line feeds and doubled quotes. What is no field ends the list. */
function csvRows(text: string): string[][] {
  const rows: string[][] = [];
  let row: string[] = [];
  for (let at = 0; at <= text.length;) {
    const pattern = text[at] === '"' ? QUOTED : PLAIN;
    pattern.lastIndex = at;
    const [whole, field = '', end = ''] = pattern.exec(text) ?? [];
    if (whole === undefined) break;
    row.push(pattern === QUOTED ? field.replaceAll('""', '"') : field);
    at = pattern.lastIndex + (end === '' ? 1 : 0);
    if (end === ',') continue;
    rows.push(row);
    row = [];
  }
  return rows;
}
