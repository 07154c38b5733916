import { spawnSync } from 'node:child_process';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { itWith } from '../../../../test/support/native';
import { readAssembly } from '.';

const DUES = readFileSync(join(__dirname, '../../../../test/fixtures/dotnet/dues.dll'));

describe('an assembly', () => {
  it('says what it is, what it refers to and what is in it', () => {
    const read = readAssembly(DUES);
    expect(read).toMatchObject({
      ...{ name: 'dues', version: '1.2.3.4', culture: '', framework: '.NETCoreApp,Version=v8.0' },
      references: [{ name: 'mscorlib', version: '4.0.0.0' }],
      ...{ needs32Bit: false, isPrecompiled: false, isDebug: false, isDeterministic: false, hasEntryPoint: false },
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
        ...{ name: 'Run', isPublic: true, isStatic: true, returns: 'string' },
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
