/** SHA-1 of the files of an artifact, which one of the standards asks for beside the better digest of the waybill. */
import { createHash } from 'node:crypto';
import { EmballageError } from '../../base/errors';
import { printable } from '../../base/text';
import type { Waybill } from '../../waybill';
import { formOf, openForm } from '../../forms';

export interface FilesToHash {
  readonly waybill: Waybill;
  /** Absolute path, and its name for messages. */
  readonly path: string;
  readonly shown: string;
  /** Absolute path of a folder for layers of images; the caller removes it. */
  readonly scratch: string;
}

/** By path, in hexadecimal. @throws EmballageError ARTIFACT_MIXED where a file is not what the waybill has */
export async function hashFiles({ waybill, path, shown, scratch }: FilesToHash): Promise<Map<string, string>> {
  const wanted = waybill.files.filter(({ kind }) => kind === 'file');
  const hash = (read: (file: string) => Uint8Array | undefined): Map<string, string> =>
    new Map(wanted.map(({ path: file, sha256 }) => [file, digestsOf(read(file), { file, sha256, shown })]));
  const form = formOf(waybill.form);
  const opening = { path, shown, form, name: wanted[0]?.path ?? '', isVerified: true, arch: waybill.arch, scratch };
  return (await openForm(form)).withSubject(opening, ({ image, readBytes }) => {
    const inImage = (file: string): Uint8Array | undefined => {
      const node = image?.tree.node(file);
      return node?.head.kind === 'file' ? image?.read(node, 0, node.head.size) : undefined;
    };
    return Promise.resolve(hash(image === undefined ? (file) => readBytes(file, Infinity) : inImage));
  });
}

function digestsOf(
  bytes: Uint8Array | undefined,
  { file, sha256, shown }: { readonly file: string; readonly sha256: string | undefined; readonly shown: string },
): string {
  const found = bytes === undefined ? 'none' : createHash('sha256').update(bytes).digest('hex');
  if (bytes !== undefined && found === sha256) return createHash('sha1').update(bytes).digest('hex');
  throw new EmballageError('ARTIFACT_MIXED', {
    doing: 'vouching for an artifact',
    where: `${printable(file)} in ${printable(shown)}`,
    expected: `what its waybill has, SHA-256 ${sha256 ?? 'of nothing'}`,
    found: found === 'none' ? 'no such file' : `SHA-256 ${found}`,
    mend: 'build it again',
  });
}
