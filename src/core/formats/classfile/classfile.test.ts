import { join } from 'node:path';
import { FIXTURES, jarContent } from '../../../../test/support/jvm';
import {
  ClassFormatError,
  constantUses,
  decodeMutf8,
  eachTextUse,
  encodeMutf8,
  mapTypes,
  parameterTypes,
  readClass,
  readCode,
  typesIn,
  writeClass,
  writeCode,
} from './';

const classes = ['slf4j-api-2.0.7.jar', 'kotlin-stdlib-jdk7-1.6.20.jar'].flatMap((name) =>
  [...jarContent(join(FIXTURES, name))].filter(([path]) => path.endsWith('.class')),
);

describe('class files', () => {
  it('are written back to the same bytes, with their code', () => {
    expect(classes.length).toBeGreaterThan(50);
    let uses = 0;
    for (const [path, bytes] of classes) {
      const file = readClass(bytes);
      expect([path, Buffer.from(writeClass(file)).equals(bytes)]).toEqual([path, true]);
      const codes = file.methods.flatMap(({ attributes }) => attributes.filter(({ name }) => name === 'Code'));
      for (const { data } of codes) {
        const code = readCode(data, file.pool);
        expect(Buffer.from(writeCode(code)).equals(data)).toBe(true);
        uses += [...constantUses(code.code)].length;
      }
    }
    expect(uses).toBeGreaterThan(1000);
  });

  it('say what each of their texts is used as', () => {
    const bytes = classes.find(([path]) => path === 'org/slf4j/MDC.class')?.[1] ?? Buffer.alloc(0);
    const file = readClass(bytes);
    const uses = new Map<string, Set<string>>();
    eachTextUse(file, (use, index) => {
      const text = file.pool.text(index);
      uses.set(text, (uses.get(text) ?? new Set()).add(use));
    });
    expect([...(uses.get('org/slf4j/MDC') ?? [])]).toEqual(['class']);
    expect([...(uses.get('key parameter cannot be null') ?? [])]).toEqual(['string']);
    expect([...(uses.get('Lorg/slf4j/spi/MDCAdapter;') ?? [])]).toEqual(['descriptor']);
    expect([...(uses.get('()Ljava/util/Map<Ljava/lang/String;Ljava/lang/String;>;') ?? [])]).toEqual(['signature']);
  });

  it('are refused, with the place, when they are cut off anywhere, or are something else', () => {
    const [, bytes = Buffer.alloc(0)] = classes[3] ?? [];
    for (let length = 0; length < bytes.length; length += 7)
      expect(() => readClass(bytes.subarray(0, length))).toThrow(ClassFormatError);
    const patched = (at: number, ...values: number[]): Buffer => {
      const copy = Buffer.from(bytes);
      Buffer.from(values).copy(copy, at);
      return copy;
    };
    expect(() => readClass(Buffer.from('<html>no class</html>'))).toThrow('it begins otherwise');
    expect(() => readClass(patched(6, 0, 99))).toThrow('class file version 99, where 45 to');
    expect(() => readClass(patched(8, 0xff, 0xff))).toThrow(ClassFormatError);
    expect(() => readClass(Buffer.concat([bytes, Buffer.alloc(1)]))).toThrow('bytes after the end');
    // The first constant, of a kind that there is not.
    expect(() => readClass(patched(10, 99))).toThrow('a constant of unknown kind 99, at byte 10');
    // Whatever single byte is changed, it is read or refused, and nothing else happens.
    for (let at = 8; at < bytes.length; at += 3)
      try {
        const file = readClass(patched(at, 0xff));
        eachTextUse(file, (_use, index) => file.pool.text(index));
      } catch (error) {
        expect(error).toBeInstanceOf(ClassFormatError);
      }
  });

  it('hold texts in their own form of UTF-8', () => {
    for (const text of ['', 'plain', 'Möwe', 'nul \0', '🌊 wave', '\ud83c alone'])
      expect(decodeMutf8(encodeMutf8(text))).toBe(text);
    expect(Buffer.from(encodeMutf8('\0')).toString('hex')).toBe('c080');
    expect(encodeMutf8('🌊')).toHaveLength(6);
  });
});

describe('descriptors and signatures', () => {
  it.each([
    ['(ILjava/lang/String;[[La/B;J)La/C;', ['java/lang/String', 'a/B', 'a/C']],
    ['<T:Ljava/lang/Object;L::La/I;>La/B<TT;[La/C<*>;>;', ['java/lang/Object', 'a/I', 'a/B', 'a/C']],
    ['La/Outer<TL;>.Inner<La/D;>;', ['a/Outer', 'a/D']],
    ['<La:La/La;Lb:Ljava/lang/Enum<TLa;>;>Ljava/lang/Object;', ['a/La', 'java/lang/Enum', 'java/lang/Object']],
  ])('name classes: %s', (text, names) => {
    expect(typesIn(text)).toEqual(names);
    const marked = mapTypes(text, (name) => (name.startsWith('a/') ? `moved/${name}` : undefined));
    expect(typesIn(marked)).toEqual(names.map((name) => (name.startsWith('a/') ? `moved/${name}` : name)));
  });

  it('list parameters', () => {
    expect(parameterTypes('(ILjava/lang/String;[[La/B;J)V')).toEqual(['I', 'Ljava/lang/String;', '[[La/B;', 'J']);
    expect(parameterTypes('()V')).toEqual([]);
  });
});
