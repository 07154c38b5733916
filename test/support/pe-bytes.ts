/** Makes PE files by hand. */

/** A PE file with one section that holds its imports. */
export function makePe(machine: number, imports: readonly string[]): Buffer {
  const bytes = Buffer.alloc(1024);
  bytes.write('MZ');
  bytes.writeUInt32LE(64, 0x3c);
  bytes.write('PE', 64);
  bytes.writeUInt16LE(machine, 68);
  bytes.writeUInt16LE(1, 70);
  bytes.writeUInt16LE(128, 84);
  bytes.writeUInt16LE(0x2000, 86);
  bytes.writeUInt16LE(0x20b, 88);
  bytes.writeUInt32LE(16, 88 + 108);
  bytes.writeUInt32LE(0x1000, 88 + 120);
  // The section lies at 512 and is loaded to 0x1000.
  bytes.writeUInt32LE(0x1000, 216 + 12);
  bytes.writeUInt32LE(512, 216 + 16);
  bytes.writeUInt32LE(512, 216 + 20);
  imports.forEach((name, i) => {
    bytes.writeUInt32LE(0x1000 + 200 + i * 32, 512 + i * 20 + 12);
    bytes.write(name, 512 + 200 + i * 32);
  });
  return bytes;
}
