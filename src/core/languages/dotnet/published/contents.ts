/** The files of an application: those of the artifact, or those in the one program that it was published as. */
import { besideAssembly } from './beside';
import type { Subject } from '../../../findings/rule';
import { readBundle, type BundledFile } from '../../../formats/assembly';
import type { Entry } from '../../../sheet';

export interface Contents {
  readonly paths: ReadonlySet<string>;
  readonly readBytes: (path: string, maxBytes: number) => Uint8Array | undefined;
  /** Programs whose list of files is damaged. */
  readonly faults: readonly { readonly path: string; readonly what: string }[];
}

const MOST_PROGRAM_BYTES = 1024 * 1024 * 1024;

/** What lies in an artifact of .NET: the entry, assemblies, what the host of an application is told. */
export function contentsOf({ entries, readBytes }: Pick<Subject, 'entries' | 'readBytes'>, { file }: Entry): Contents {
  const paths = new Set(entries.filter(({ kind }) => kind === 'file').map(({ path }) => path));
  const { program } = besideAssembly(file);
  if (paths.has(file) || !paths.has(program)) return { paths, readBytes, faults: [] };
  const bytes = readBytes(program, MOST_PROGRAM_BYTES);
  try {
    const bundled = new Map((bytes === undefined ? [] : (readBundle(bytes) ?? [])).map((one) => [one.path, one]));
    return {
      paths: new Set([...paths, ...bundled.keys()]),
      readBytes: (path, maxBytes) => bundledBytes(bundled.get(path), maxBytes) ?? readBytes(path, maxBytes),
      faults: [],
    };
  } catch (error) {
    if (!(error instanceof RangeError)) throw error;
    return { paths, readBytes, faults: [{ path: program, what: error.message }] };
  }
}

/** What is damaged is an assembly that is none, and told as such. */
function bundledBytes(one: BundledFile | undefined, maxBytes: number): Uint8Array | undefined {
  if (one === undefined || one.size > maxBytes) return undefined;
  try {
    return one.read();
  } catch (error) {
    if (error instanceof RangeError) return Buffer.from('damaged');
    throw error;
  }
}
