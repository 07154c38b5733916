import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { deflateRawSync } from 'node:zlib';
import { itWith } from '../../../../test/support/needs';
import { readAssembly, readBundle } from './';

const DUES = readFileSync(join(__dirname, '../../../../test/fixtures/dotnet/dues.dll'));

describe('an assembly', () => {
  it('says what it is, what it refers to and what is in it', () => {
    const read = readAssembly(DUES);
    expect(read).toMatchObject({
      name: 'dues',
      version: '1.2.3.4',
      culture: '',
      framework: '.NETCoreApp,Version=v8.0',
      references: [{ name: 'mscorlib', version: '4.0.0.0' }],
      needs32Bit: false,
      isPrecompiled: false,
      isDebug: false,
      isDeterministic: false,
      hasEntryPoint: false,
      natives: ['tidewave'],
    });
    expect(read?.processor).toBeUndefined();
    const types = read?.types() ?? [];
    expect(types.map(({ name, isPublic, isAbstract }) => [name, isPublic, isAbstract])).toEqual([
      ['<Module>', false, false],
      ['Fernhaven.Dues.Export', true, false],
      ['Fernhaven.Dues.Export+Inner', true, false],
      ['Fernhaven.Dues.Ledger', false, true],
    ]);
    const methods = types.flatMap(({ methods: own }) => own()).filter(({ name }) => name !== '.ctor');
    expect(methods).toEqual([
      {
        name: 'Run',
        isPublic: true,
        isStatic: true,
        returns: 'string',
        parameters: [
          'System.Collections.Generic.Dictionary<string, System.Collections.Generic.List<int[]>>',
          'ref int',
        ],
      },
      { name: 'wave', isPublic: false, isStatic: true, returns: 'int', parameters: ['byte*', 'long[,]'] },
      { name: 'Hidden', isPublic: false, isStatic: false, returns: 'void', parameters: ['T0', 'object[]'] },
      { name: 'Closed', isPublic: true, isStatic: false, returns: 'System.Nullable<System.DateTime>', parameters: [] },
    ]);
  });

  it('that is cut off or damaged is told as such, whatever is wrong', () => {
    const judged = (bytes: Buffer): string => {
      try {
        const read = readAssembly(bytes);
        read?.types().forEach(({ methods }) => methods());
        return 'read';
      } catch (error) {
        return error instanceof RangeError ? 'refused' : String(error);
      }
    };
    for (let length = 0; length < DUES.length; length += 37)
      expect([length, judged(DUES.subarray(0, length))]).not.toEqual([length, 'read']);
    const seen = new Set<string>();
    for (let at = 0; at < DUES.length; at += 3)
      for (const value of [0, 0x7f, 0xff]) {
        const damaged = Buffer.from(DUES);
        damaged[at] = value;
        seen.add(judged(damaged));
      }
    expect([...seen].sort()).toEqual(['read', 'refused']);
  });

  it('is not what native code is', () => {
    const native = Buffer.from(DUES);
    // The directory of the CLI header (ECMA-335, II.25.2.3.3).
    const at = native.readUInt32LE(0x3c);
    native.writeUInt32LE(0, at + 24 + 96 + 14 * 8);
    expect(readAssembly(native)).toBeUndefined();
  });

  const FOLDER = '/usr/lib/mono/4.5';
  itWith('monodis')('is read as others read it: names, versions, references, types, methods', () => {
    const files = existsSync(FOLDER) ? readdirSync(FOLDER).filter((name) => /\.(?:dll|exe)$/.test(name)) : [];
    expect(files.length).toBeGreaterThan(5);
    for (const name of files) {
      const path = join(FOLDER, name);
      const says = (option: string): string =>
        spawnSync('monodis', [option, path], { encoding: 'utf8', maxBuffer: 1 << 28 }).stdout;
      const rows = (option: string): number => says(option).match(/^\d+: /gm)?.length ?? 0;
      const read = readAssembly(readFileSync(path));
      const types = read?.types() ?? [];
      const [, own = '', version = ''] = /Name:\s+(\S+)[\s\S]*?Version:\s+([\d.]+)/.exec(says('--assembly')) ?? [];
      expect([name, read?.name, read?.version]).toEqual([name, own, version]);
      expect([name, types.length]).toEqual([name, rows('--typedef')]);
      expect([name, types.reduce((sum, { methods }) => sum + methods().length, 0)]).toEqual([name, rows('--method')]);
      const references = [...says('--assemblyref').matchAll(/Version=([\d.]+)\s[\s\S]*?Name=(\S+)/g)];
      expect(read?.references.map((one) => `${one.name} ${one.version}`)).toEqual(
        references.map(([, at = '', to = '']) => `${to} ${at}`),
      );
    }
  });
});

/** A program with files behind it, as hosts of version 6 have them. */
function bundle(files: readonly { readonly path: string; readonly bytes: Buffer; readonly isPacked?: true }[]): Buffer {
  const parts: Buffer[] = [Buffer.from('\x7fELF and so on')];
  let end = parts[0]?.length ?? 0;
  const add = (bytes: Buffer): number => {
    parts.push(bytes);
    end += bytes.length;
    return end - bytes.length;
  };
  const long = (value: number): Buffer => {
    const bytes = Buffer.alloc(8);
    bytes.writeBigUInt64LE(BigInt(value));
    return bytes;
  };
  const text = (value: string): Buffer => Buffer.concat([Buffer.of(value.length), Buffer.from(value)]);
  const place = add(long(0));
  add(createHash('sha256').update('.net core bundle\n').digest());
  const rows = files.map(({ path, bytes, isPacked }) => {
    const stored = isPacked ? deflateRawSync(bytes) : bytes;
    const offset = add(stored);
    return Buffer.concat([
      long(offset),
      long(bytes.length),
      long(isPacked ? stored.length : 0),
      Buffer.of(1),
      text(path),
    ]);
  });
  const head = Buffer.alloc(12);
  head.writeUInt32LE(6, 0);
  head.writeUInt32LE(files.length, 8);
  const header = add(Buffer.concat([head, text('id'), Buffer.alloc(40), ...rows]));
  const whole = Buffer.concat(parts);
  long(header).copy(whole, place);
  return whole;
}

describe('an application in one file', () => {
  it('has its files behind the program, packed or not', () => {
    const files = [
      { path: 'Dues.dll', bytes: Buffer.from('one') },
      { path: 'de/Dues.resources.dll', bytes: Buffer.from('two '.repeat(100)), isPacked: true },
    ] as const;
    const read = readBundle(bundle(files)) ?? [];
    expect(read.map(({ path, size }) => [path, size])).toEqual([
      ['Dues.dll', 3],
      ['de/Dues.resources.dll', 400],
    ]);
    expect(read.map((one) => Buffer.from(one.read()).toString())).toEqual(files.map(({ bytes }) => bytes.toString()));
    expect(readBundle(Buffer.from('a program without any'))).toBeUndefined();
  });

  it('that is damaged is refused, wherever it is cut', () => {
    const whole = bundle([{ path: 'Dues.dll', bytes: Buffer.from('one '.repeat(50)), isPacked: true }]);
    for (let at = 0; at < whole.length; at++) {
      const spoiled = Buffer.from(whole);
      spoiled[at] = 0xff;
      for (const bytes of [spoiled, whole.subarray(0, at)]) expect(outcome(bytes)).toMatch(/^(?:read|RangeError)$/);
    }
  });
});

function outcome(bytes: Buffer): string {
  try {
    (readBundle(bytes) ?? []).forEach((one) => one.read());
    return 'read';
  } catch (error) {
    return error instanceof Error ? error.name : 'another';
  }
}
