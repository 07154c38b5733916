/** The JAR form: a zip archive whose manifest comes first (JAR File Specification), written by us in fixed order. */

/** The media type of JARs (JAR File Specification). */
export const JAR_TYPE = 'application/java-archive';

export const JAR_MANIFEST = 'META-INF/MANIFEST.MF';

/** Bytes of a line of a manifest, without its end. */
const MAX_LINE_BYTES = 72;

export interface Manifest {
  /** Class that `java -jar` starts. */
  readonly main?: string;
  /** It has classes for particular Java versions. */
  readonly isMultiRelease: boolean;
}

/** The text of `META-INF/MANIFEST.MF` (JAR File Specification). */
export function manifestText({ main, isMultiRelease }: Manifest): string {
  const lines = ['Manifest-Version: 1.0'];
  if (main !== undefined) lines.push(`Main-Class: ${main}`);
  if (isMultiRelease) lines.push('Multi-Release: true');
  return `${lines.map(folded).join('\r\n')}\r\n\r\n`;
}

/** Longer lines go on behind a space. */
function folded(line: string): string {
  const parts: string[] = [];
  let rest = line;
  let room = MAX_LINE_BYTES;
  while (rest.length > room) {
    parts.push(rest.slice(0, room));
    rest = rest.slice(room);
    room = MAX_LINE_BYTES - 1;
  }
  return [...parts, rest].join('\r\n ');
}
