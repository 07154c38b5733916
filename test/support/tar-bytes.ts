/** Makes tar archives by hand, also wrong ones. */

export interface RawTarEntry {
  readonly name: string;
  readonly data?: string | Buffer;
  readonly type?: string;
  readonly link?: string;
  /** Said instead of the truth. */
  readonly size?: number;
  readonly mode?: number;
  readonly uid?: number;
  /** Seconds since 1970. */
  readonly mtime?: number;
}

export function makeTar(entries: readonly RawTarEntry[]): Buffer {
  const parts = entries.flatMap(
    ({ name, data = '', type = '0', link = '', size, mode = 0o644, uid = 0, mtime = 0 }) => {
      const content = Buffer.from(data);
      const header = Buffer.alloc(512);
      header.write(name.slice(0, 100), 0);
      header.write(`${mode.toString(8).padStart(7, '0')}\0`, 100);
      header.write(`${uid.toString(8).padStart(7, '0')}\0`, 108);
      header.write(`${(size ?? content.length).toString(8).padStart(11, '0')}\0`, 124);
      header.write(`${mtime.toString(8).padStart(11, '0')}\0`, 136);
      header.write('        ', 148);
      header.write(type, 156);
      header.write(link, 157);
      header.write('ustar\x0000', 257, 'latin1');
      const sum = header.reduce((total, byte) => total + byte, 0);
      header.write(`${sum.toString(8).padStart(6, '0')}\0 `, 148);
      return [header, content, Buffer.alloc((512 - (content.length % 512)) % 512)];
    },
  );
  return Buffer.concat([...parts, Buffer.alloc(1024)]);
}
