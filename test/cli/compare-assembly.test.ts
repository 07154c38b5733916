/** `compare` of assemblies: what differs in their own terms, and where only the build does. */
import { spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { readAssembly } from '../../src/core/formats/assembly';
import { itWith } from '../support/needs';
import { folderWith, run } from '../support/program';

const DUES = readFileSync(join(__dirname, '../fixtures/dotnet/dues.dll'));
const SOURCE = readFileSync(join(__dirname, '../fixtures/dotnet/Dues.cs'), 'utf8');

interface Comparison {
  readonly verdict: string;
  readonly differences: readonly { change: string; path: string; as?: string; cause?: string; details: object[] }[];
  readonly causes: readonly { cause: string }[];
}

function compared(root: string, a: string, b: string): Comparison {
  return JSON.parse(run(root, ['compare', a, b, '--json']).stdout) as Comparison;
}

/** Two folders, in which compilers write an assembly of one name. */
function compiled(a: string, b: string, ...options: readonly string[]): string {
  const root = folderWith({ 'a/Dues.cs': a, 'b/Dues.cs': b });
  for (const folder of ['a', 'b']) {
    const words = [
      '-unsafe',
      '-nologo',
      '-target:library',
      '-out:Dues.dll',
      ...(folder === 'b' ? options : []),
      'Dues.cs',
    ];
    expect(spawnSync('mcs', words, { cwd: join(root, folder) }).status).toBe(0);
  }
  return root;
}

describe('two assemblies', () => {
  it('that were only built anew are the same but for that', () => {
    const anew = Buffer.from(DUES);
    for (const { at, length } of readAssembly(DUES)?.changing ?? []) anew.fill(7, at, at + length);
    expect(anew.equals(DUES)).toBe(false);
    const root = folderWith({ 'a.dll': DUES, 'b.dll': anew });
    const { verdict, causes } = compared(root, 'a.dll', 'b.dll');
    expect([verdict, causes.map(({ cause }) => cause)]).toEqual(['same-content', ['build-id']]);
  });

  itWith('mcs')('are told apart by types, methods and what they are compiled for', () => {
    const changed = SOURCE.replace('abstract class Ledger', 'abstract class Book')
      .replace('Hidden<T>(T any', 'Hidden<T>(long any')
      .replace('1.2.3.4', '2.0.0.0');
    const root = compiled(SOURCE, changed, '-debug');
    const { verdict, differences } = compared(root, 'a/Dues.dll', 'b/Dues.dll');
    expect(verdict).toBe('differs');
    const [own, ...types] = differences;
    expect(own).toMatchObject({
      as: '.NET assembly',
      details: [
        { what: 'version', a: '1.2.3.4', b: '2.0.0.0' },
        { what: 'optimised', a: 'true', b: 'false' },
      ],
    });
    expect(types.map(({ change, path }) => [change, path])).toEqual([
      ['changed', 'Fernhaven.Dues.Export+Inner'],
      ['removed', 'Fernhaven.Dues.Ledger'],
      ['added', 'Fernhaven.Dues.Book'],
    ]);
    expect(types[0]?.details).toEqual([
      { what: 'methods', a: 'void Hidden(T0, object[])', b: 'void Hidden(long, object[])' },
    ]);
  });

  itWith('mcs')('with the same types and other code are not the same', () => {
    const root = compiled(SOURCE, SOURCE.replace('DUES_RATE', 'DUES_RATES'));
    expect(compared(root, 'a/Dues.dll', 'b/Dues.dll').verdict).toBe('differs');
  });

  it('of which one is damaged are compared as what they are', () => {
    const root = folderWith({ 'a.dll': DUES, 'b.dll': DUES.subarray(0, 3000) });
    expect(compared(root, 'a.dll', 'b.dll').verdict).toBe('differs');
  });
});
