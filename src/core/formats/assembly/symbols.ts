/** Debug symbols beside an assembly: of which build they are (Portable PDB 1.0, "#Pdb stream"; PE, "Debug directory"). */
import { Fields } from '../fields';

const SIGNATURE = 0x424a5342;
const ID_BYTES = 16;
const MOST_STREAMS = 16;

/** The identifier of the build that a portable PDB is of, in hexadecimal; undefined for what is none. */
export function symbolsId(bytes: Uint8Array): string | undefined {
  const root = new Fields(bytes, true);
  if (bytes.length < 32 || root.u32(0) !== SIGNATURE) return undefined;
  const version = root.u32(12);
  if (version > 256) return undefined;
  const streams = root.u16(16 + version + 2);
  let at = 16 + version + 4;
  for (let i = 0; i < Math.min(streams, MOST_STREAMS); i++) {
    const [offset, size] = [root.u32(at), root.u32(at + 4)];
    const name = root.text(at + 8);
    if (name === '#Pdb' && size >= ID_BYTES && offset + ID_BYTES <= bytes.length)
      return Buffer.from(bytes.subarray(offset, offset + ID_BYTES)).toString('hex');
    at += 8 + ((name.length + 4) & ~3);
  }
  return undefined;
}
