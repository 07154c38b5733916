/** Writes a class with the names of moved classes in it. */
import {
  eachTextUse,
  mapTypes,
  readClass,
  TAG,
  writeClass,
  type ClassFile,
  type TextUse,
} from '../../../formats/classfile';
import type { Relocation } from './relocation';

/** @returns the same bytes where nothing in it moves. @throws ClassFormatError */
export function relocateClass(bytes: Uint8Array, relocation: Relocation): Uint8Array {
  if (!mayName(bytes, relocation)) return bytes;
  const file = readClass(bytes);
  relocateTexts(file, relocation);
  return file.pool.isChanged ? writeClass(file) : bytes;
}

/** Whether any of the packages that move stands in some bytes at all: most classes are done with that look. */
export function mayName(bytes: Uint8Array, { needles }: Relocation): boolean {
  const buffer = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.length);
  return needles.some((needle) => buffer.includes(needle));
}

function relocateTexts(file: ClassFile, relocation: Relocation): void {
  const { pool } = file;
  const apart = new Map<number, number>();
  for (const [index, kinds] of textUses(file)) {
    const text = pool.text(index);
    const asType = typeText(text, kinds, relocation);
    const asString = kinds.has('string') ? relocation.text(text) : undefined;
    const wanted = asType ?? asString ?? text;
    // A text constant that stays, where the same text is also a type that moves, gets a text of its own.
    if (asType !== undefined && asString !== undefined && asType !== asString) apart.set(index, pool.addText(asString));
    if (wanted !== text) pool.setText(index, wanted);
  }
  if (apart.size === 0) return;
  for (const index of pool.indices()) {
    const own = pool.tag(index) === TAG.string ? apart.get(pool.value(index)) : undefined;
    if (own !== undefined) pool.setRef(index, TAG.string, [own]);
  }
}

/** In which ways each text is used; names of members and files are left out, since they never hold that of a package. */
function textUses(file: ClassFile): Map<number, Set<TextUse>> {
  const uses = new Map<number, Set<TextUse>>();
  eachTextUse(file, (use, index) => {
    if (use === 'name') return;
    const known = uses.get(index);
    if (known === undefined) uses.set(index, new Set([use]));
    else known.add(use);
  });
  return uses;
}

/** @returns undefined for a text that is no type */
function typeText(text: string, kinds: ReadonlySet<TextUse>, relocation: Relocation): string | undefined {
  if (!kinds.has('class') && !kinds.has('descriptor') && !kinds.has('signature')) return undefined;
  // Arrays are classes by their descriptors (JVMS 4.4.1).
  if (kinds.has('class') && !text.startsWith('[')) return relocation.className(text) ?? text;
  return mapTypes(text, (name) => relocation.className(name));
}
