/** Archives of object files, of the System V and GNU kind (ar.h). */
import { stretchOf, type ByteSource } from '../byte-source';

const MAGIC = '!<arch>\n';
const HEADER_BYTES = 60;
const MAX_MEMBERS = 65_536;

export interface ArMember {
  readonly name: string;
  readonly at: number;
  readonly size: number;
}

/** Whether bytes begin as an archive of objects does (ar(5)). */
export function isAr(start: Uint8Array): boolean {
  return Buffer.from(start.subarray(0, MAGIC.length)).toString('latin1') === MAGIC;
}

/**
 * Its members, without tables of symbols and of long names.
 * @throws RangeError for an archive that leads outside itself
 */
export function arMembers(source: ByteSource): ArMember[] {
  const members: ArMember[] = [];
  let longNames = '';
  for (let at = MAGIC.length; at + HEADER_BYTES <= source.size;) {
    // name 16, date 12, uid 6, gid 6, mode 8, size 10, "`\n".
    const header = Buffer.from(stretchOf(source, at, HEADER_BYTES)).toString('latin1');
    const size = Number(header.slice(48, 58).trim());
    if (header.slice(58) !== '`\n' || !Number.isInteger(size)) throw new RangeError('no header of a member');
    const name = header.slice(0, 16).trimEnd();
    const content = at + HEADER_BYTES;
    if (name === '//') longNames = Buffer.from(stretchOf(source, content, size)).toString('latin1');
    else if (name !== '/' && name !== '/SYM64/' && !name.startsWith('__.SYMDEF')) {
      if (content + size > source.size) throw new RangeError('a member that leads outside the archive');
      members.push({ name: fullName(name, longNames), at: content, size });
    }
    if (members.length > MAX_MEMBERS) throw new RangeError('more members than any archive has');
    at = content + size + (size % 2);
  }
  return members;
}

function fullName(name: string, longNames: string): string {
  const [, offset] = /^\/(\d+)$/.exec(name) ?? [];
  const text = offset === undefined ? name : longNames.slice(Number(offset)).split('\n', 1).join('');
  return text.replace(/\/$/, '');
}
