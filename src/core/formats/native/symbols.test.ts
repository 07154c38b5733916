import { goFunctions } from './go-functions';
import { readSymbolName } from './mangling';

it.each([
  ['_ZN4core3fmt5write17h0123456789abcdefE', 'core::fmt::write', 'core'],
  [
    '_ZN60_$LT$alloc..string..String$u20$as$u20$core..fmt..Display$GT$3fmt17h0123456789abcdefE',
    '<alloc::string::String as core::fmt::Display>::fmt',
    'alloc',
  ],
  ['_ZN38_$LT$T$u20$as$u20$core..fmt..Debug$GT$3fmt17h0123456789abcdefE', '<T as core::fmt::Debug>::fmt', 'core'],
  ['_RNvCs1234_11tide_solver4main', 'tide_solver::main', 'tide_solver'],
  ['runtime.mallocgc', 'runtime.mallocgc', 'runtime'],
  ['example.org/tides/table.(*Book).Mean', 'example.org/tides/table.(*Book).Mean', 'example.org/tides/table'],
  ['encoding/json.Marshal', 'encoding/json.Marshal', 'encoding/json'],
  ['main', 'main', undefined],
  ['_ZN3std9panicking17h0123456789abcdefE.llvm.123', 'std::panicking', 'std'],
])('%s is %s, of %s', (name, shown, from) => {
  const read = readSymbolName(name);
  expect([read.shown, read.package]).toEqual([shown, from]);
});

describe('the table of functions of programs in Go', () => {
  /** As Go 1.20 and later write it: header, names, then rows and records. */
  function table(functions: readonly (readonly [name: string, size: number])[]): Buffer {
    const names = Buffer.from(functions.map(([name]) => `${name}\0`).join(''));
    const rows = Buffer.alloc((functions.length + 1) * 8 - 4 + functions.length * 8);
    const records = (functions.length + 1) * 8 - 4;
    let [start, at] = [0, 0];
    functions.forEach(([name, size], i) => {
      rows.writeUInt32LE(start, i * 8);
      rows.writeUInt32LE(records + i * 8, i * 8 + 4);
      rows.writeUInt32LE(at, records + i * 8 + 4);
      start += size;
      at += name.length + 1;
    });
    rows.writeUInt32LE(start, functions.length * 8);
    const header = Buffer.alloc(8 + 8 * 8);
    header.writeUInt32LE(0xfffffff1, 0);
    header[7] = 8;
    header.writeBigUInt64LE(BigInt(functions.length), 8);
    header.writeBigUInt64LE(BigInt(header.length), 8 + 3 * 8);
    header.writeBigUInt64LE(BigInt(header.length + names.length), 8 + 7 * 8);
    return Buffer.concat([header, names, rows]);
  }

  it('tells each with its size', () => {
    const functions = [
      ['main.main', 64],
      ['runtime.mallocgc', 512],
    ] as const;
    expect(goFunctions(table(functions), true)).toEqual(functions.map(([name, size]) => ({ name, size })));
  });

  it('of another version, or cut, is not read', () => {
    const whole = table([['main.main', 64]]);
    expect(goFunctions(whole.subarray(0, 40), true)).toBeUndefined();
    whole.writeUInt32LE(0xfffffffb, 0);
    expect(goFunctions(whole, true)).toBeUndefined();
  });
});
