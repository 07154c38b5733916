import { join } from 'node:path';
import { FIXTURES, jarContent } from '../../../../../test/support/jvm';
import { eachTextUse, readClass, typesIn } from '../../../formats/classfile';
import { classFacts } from './class-facts';
import { kindOf, nativePlatform, withoutRelease } from './jar-entries';
import { mergedServices } from './merge';
import { relocateClass } from './relocate-class';
import { Relocation } from './relocation';
import { stripDebug } from './strip-debug';

const jar = jarContent(join(FIXTURES, 'slf4j-api-2.0.7.jar'));
const classes = [...jar].filter(([path]) => path.endsWith('.class') && !path.includes('module-info'));
const named = {
  hasClass: (name: string): boolean => jar.has(`${name}.class`),
  hasResource: (path: string): boolean => jar.has(path),
  hasPackage: (name: string): boolean => [...jar.keys()].some((path) => path.startsWith(`${name}/`)),
};
const relocation = (except: string[] = []): Relocation =>
  new Relocation([{ from: 'org.slf4j', to: 'tides.log', except }], named);

/** Names of all classes that a class names. */
function namesIn(bytes: Uint8Array): Set<string> {
  const file = readClass(bytes);
  const names = new Set<string>();
  eachTextUse(file, (use, index) => {
    const text = file.pool.text(index);
    if (use === 'class' && !text.startsWith('[')) names.add(text);
    else if (use !== 'name' && use !== 'string') for (const name of typesIn(text)) names.add(name);
  });
  return names;
}

describe('moving a package', () => {
  it('changes every name of a class, and nothing else', () => {
    for (const [, bytes] of classes) {
      const moved = relocateClass(bytes, relocation());
      const before = [...namesIn(bytes)].map((name) => name.replace(/^org\/slf4j\//, 'tides/log/'));
      expect([...namesIn(moved)].sort()).toEqual(before.sort());
      expect(readClass(moved).methods.map(({ name }) => name)).toEqual(
        readClass(bytes).methods.map(({ name }) => name),
      );
    }
  });

  it('leaves a class alone that names nothing of it, byte for byte', () => {
    const bytes = jarContent(join(FIXTURES, 'kotlin-stdlib-jdk7-1.6.20.jar')).get(
      'kotlin/internal/jdk7/JDK7PlatformImplementations.class',
    );
    expect(bytes).toBeDefined();
    expect(relocateClass(bytes ?? Buffer.alloc(0), relocation())).toBe(bytes);
  });

  it.each([
    ['org.slf4j.Logger', 'tides.log.Logger'],
    ['org/slf4j/Logger', 'tides/log/Logger'],
    ['/org/slf4j/Logger.class', '/tides/log/Logger.class'],
    ['Lorg/slf4j/Logger;', 'Ltides/log/Logger;'],
    ['[Lorg/slf4j/Logger;', '[Ltides/log/Logger;'],
    ['org.slf4j.spi', 'tides.log.spi'],
    ['org/slf4j/spi/', 'tides/log/spi/'],
    ['org.slf4j.helpers.\u0001', 'tides.log.helpers.\u0001'],
    ['org.slf4j.NoSuchClass', 'org.slf4j.NoSuchClass'],
    ['org.slf4j.simpleLogger.level', 'org.slf4j.simpleLogger.level'],
    ['see org.slf4j.Logger', 'see org.slf4j.Logger'],
    ['org.slf4jx.Logger', 'org.slf4jx.Logger'],
  ])('takes %s for %s', (text, moved) => {
    expect(relocation().text(text)).toBe(moved);
  });

  it('moves files with it, but for what is to stay', () => {
    expect(relocation().path('org/slf4j/messages.txt')).toBe('tides/log/messages.txt');
    const some = relocation(['org.slf4j.spi.**']);
    expect(some.path('org/slf4j/spi/MDCAdapter.class')).toBe('org/slf4j/spi/MDCAdapter.class');
    expect(some.className('org/slf4j/MDC')).toBe('tides/log/MDC');
  });
});

describe('what a class says', () => {
  it('is whom it names, as a type and by constant texts, and which services it looks for', () => {
    const facts = classes.map(([, bytes]) => classFacts(readClass(bytes)));
    const factory = facts.find(({ name }) => name === 'org/slf4j/LoggerFactory');
    expect(factory?.services).toEqual(['org/slf4j/spi/SLF4JServiceProvider']);
    expect(factory?.refs).toContain('org/slf4j/helpers/NOP_FallbackServiceProvider');
    expect(factory?.texts).toContain('org/slf4j/impl/StaticLoggerBinder.class');
  });
});

describe('debug information', () => {
  it('goes as far as is asked', () => {
    const attributesOf = (debug: 'lines' | 'none' | 'all'): string[] => {
      const found = new Set<string>();
      for (const [, bytes] of classes) {
        const file = stripDebug(readClass(bytes), debug);
        const seen: string[] = [];
        eachTextUse(file, (_use, index) => seen.push(file.pool.text(index)));
        for (const name of ['LineNumberTable', 'LocalVariableTable', 'SourceFile'])
          if (seen.includes(name)) found.add(name);
      }
      return [...found].sort();
    };
    expect(attributesOf('all')).toEqual(['LineNumberTable', 'LocalVariableTable', 'SourceFile']);
    expect(attributesOf('lines')).toEqual(['LineNumberTable', 'SourceFile']);
    expect(attributesOf('none')).toEqual([]);
  });
});

describe('entries of a JAR', () => {
  it.each([
    ['META-INF/MANIFEST.MF', 'dropped'],
    ['META-INF/APP.SF', 'dropped'],
    ['META-INF/APP.RSA', 'dropped'],
    ['META-INF/versions/9/module-info.class', 'dropped'],
    ['META-INF/services/a.B', 'service'],
    ['META-INF/LICENSE.txt', 'licence'],
    ['NOTICE', 'licence'],
    ['a/License.class', 'class'],
    ['META-INF/versions/11/a/B.class', 'class'],
    ['a/b.properties', 'resource'],
  ])('%s is %s', (path, kind) => {
    expect(kindOf(path)).toBe(kind);
  });

  it('tell releases and platforms by their paths', () => {
    expect(withoutRelease('META-INF/versions/11/a/B.class')).toEqual({ path: 'a/B.class', release: 11 });
    expect(nativePlatform('native/linux-aarch_64/libx.so')).toEqual({ system: 'linux', cpu: 'arm64' });
    expect(nativePlatform('org/x/native/Linux/x86_64/libx.so')).toEqual({ system: 'linux', cpu: 'x86_64' });
    expect(nativePlatform('win32-x86-64/x.dll')).toMatchObject({ system: 'windows' });
    expect(nativePlatform('a/B.class')).toBeUndefined();
  });

  it('merges services in order, each provider once', () => {
    expect(mergedServices(['a.B # first\n\nc.D\n', '# nothing\nc.D\r\ne.F'])).toBe('a.B\nc.D\ne.F\n');
  });
});
