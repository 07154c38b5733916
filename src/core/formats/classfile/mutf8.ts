/** The modified UTF-8 of class files: no zero byte, and surrogates written one by one (JVMS 4.4.7). */

/** The text of such bytes. Nothing is refused: what is no modified UTF-8 gives some letters all the same. */
export function decodeMutf8(bytes: Uint8Array): string {
  const plain = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.length);
  if (isAscii(bytes)) return plain.toString('latin1');
  let text = '';
  for (let i = 0; i < bytes.length;) {
    const a = bytes[i] ?? 0;
    if (a < 0x80) {
      text += String.fromCharCode(a);
      i += 1;
    } else if ((a & 0xe0) === 0xc0) {
      text += String.fromCharCode(((a & 0x1f) << 6) | ((bytes[i + 1] ?? 0) & 0x3f));
      i += 2;
    } else {
      text += String.fromCharCode(
        ((a & 0x0f) << 12) | (((bytes[i + 1] ?? 0) & 0x3f) << 6) | ((bytes[i + 2] ?? 0) & 0x3f),
      );
      i += 3;
    }
  }
  return text;
}

/** A text in modified UTF-8 (JVMS 4.4.7). */
export function encodeMutf8(text: string): Uint8Array {
  if (/^[\u0001-\u007f]*$/.test(text)) return Buffer.from(text, 'latin1');
  const bytes: number[] = [];
  for (let i = 0; i < text.length; i++) {
    const unit = text.charCodeAt(i);
    if (unit !== 0 && unit < 0x80) bytes.push(unit);
    else if (unit < 0x800) bytes.push(0xc0 | (unit >> 6), 0x80 | (unit & 0x3f));
    else bytes.push(0xe0 | (unit >> 12), 0x80 | ((unit >> 6) & 0x3f), 0x80 | (unit & 0x3f));
  }
  return Uint8Array.from(bytes);
}

function isAscii(bytes: Uint8Array): boolean {
  for (const byte of bytes) if (byte >= 0x80) return false;
  return true;
}
