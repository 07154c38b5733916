import { cpSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { readClass } from '../../src/core/formats/classfile';
import { startTestIndex, type TestIndex } from '../support';
import {
  DEMO,
  findingsOf,
  GAUGE_SOURCE as SOURCE,
  itWithJava,
  jarContent,
  jvmProject as project,
  runJava,
} from '../support/jvm';
import { folderWith, put, run, type Files } from '../support/program';

const ARTIFACT = 'out/berth-planner/x86_64/berth-planner.jar';

let index: TestIndex;
beforeAll(async () => {
  index = await startTestIndex(join(DEMO, 'fernhaven-packages'));
}, 60_000);

const repository = (): string => index.url.replace('/simple', '/maven');

function demoProject(): string {
  const root = folderWith({});
  cpSync(join(DEMO, 'fernhaven-tides'), root, { recursive: true });
  const sheet = readFileSync(join(root, 'berths.yaml'), 'utf8');
  put(root, { 'emballage.yaml': sheet.replace('http://127.0.0.1:8427/maven', repository()) });
  return root;
}

describe('a JVM function', () => {
  itWithJava(
    'is locked, compiled, shaded with two versions of one library side by side, and called',
    () => {
      const [root, other] = [demoProject(), demoProject()];
      for (const one of [root, other]) {
        expect(run(one, ['lock'])).toMatchObject({ status: 0, stderr: '' });
        expect(run(one, ['build'])).toMatchObject({ status: 0, stderr: '' });
      }
      expect(readFileSync(join(root, ARTIFACT)).equals(readFileSync(join(other, ARTIFACT)))).toBe(true);
      const content = jarContent(join(root, ARTIFACT));
      expect([...content.keys()][0]).toBe('META-INF/MANIFEST.MF');
      expect([...content.keys()]).toEqual(
        expect.arrayContaining(['fernhaven/tidetable/TideTable.class', 'fernhaven/berths/firsttable/TideTable.class']),
      );
      // What nobody reaches is not there.
      expect([...content.keys()].filter((path) => path.includes('reports'))).toEqual([]);
      expect(content.get('META-INF/services/fernhaven.harbour.BerthSource')?.toString()).toBe(
        'fernhaven.NewHarbour\nfernhaven.harbour.OldHarbour\n',
      );
      expect(run(root, ['check'])).toMatchObject({ status: 0 });
      const { status, stdout } = run(root, ['try', 'berth-planner', '--json']);
      expect(status).toBe(0);
      const result = JSON.stringify(JSON.parse(stdout));
      expect(result).toContain('tide table 1.6.0');
      expect(result).toContain('tide table 2.1.0');
      expect(run(root, ['why', 'berth-planner', '**/firsttable/*']).stdout).toContain(
        '└ fernhaven/harbour/HarbourChart.class  imported',
      );
    },
    120_000,
  );

  itWithJava(
    'that gets one of two clashing versions is told who asks for which, and what is missing then',
    () => {
      const root = demoProject();
      const sheet = readFileSync(join(root, 'emballage.yaml'), 'utf8');
      put(root, { 'emballage.yaml': sheet.replace(/ {4}relocate:\n.*\n/, '').replace('trim: traced', 'trim: safe') });
      expect(run(root, ['lock'])).toMatchObject({ status: 0 });
      expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
      expect(findingsOf(root)).toEqual([
        expect.stringContaining(
          'warn deps/missing org.fernhaven:mooringbook 3.0.0: no `fernhaven.tidetable.TideWindow`',
        ),
        'warn deps/version-clash org.fernhaven:tidetable: version 1.6.0, by berth-planner → org.fernhaven:harbourchart:1.2.0 → org.fernhaven:tidetable:1.6.0',
        expect.stringContaining('note licence/unknown'),
      ]);
    },
    120_000,
  );
});

describe('classes', () => {
  itWithJava(
    'are started with java -jar where a main class is named, and keep line numbers',
    () => {
      const root = project(SOURCE, { main: 'tide.Gauge', settings: {} });
      expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
      const jar = join(root, 'out/gauge/x86_64/gauge.jar');
      expect(runJava(['-jar', jar])).toEqual({ status: 0, out: 'unit cm\n' });
      expect(jarContent(jar).get('META-INF/MANIFEST.MF')?.toString()).toBe(
        'Manifest-Version: 1.0\r\nMain-Class: tide.Gauge\r\n\r\n',
      );
      const text = jarContent(jar).get('tide/Gauge.class')?.toString('latin1') ?? '';
      expect(text).toContain('LineNumberTable');
      const answer = run(root, ['try', 'gauge', '--event', 'event.json', '--json']);
      expect(answer).toMatchObject({ status: 0 });
      expect(answer.stdout).toContain('412');
    },
    60_000,
  );

  itWithJava(
    'move with the names in code, texts and resources',
    () => {
      const root = project(SOURCE, {
        entry: 'moved.to.Gauge#read',
        main: 'moved.to.Gauge',
        relocate: { tide: 'moved.to' },
      });
      expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
      const jar = join(root, 'out/gauge/x86_64/gauge.jar');
      expect([...jarContent(jar).keys()].sort()).toEqual([
        'META-INF/MANIFEST.MF',
        'moved/to/Gauge.class',
        'moved/to/Texts.class',
        'moved/to/texts.properties',
      ]);
      expect(runJava(['-jar', jar])).toEqual({ status: 0, out: 'unit cm\n' });
    },
    60_000,
  );

  itWithJava(
    'that do not compile are told with their places',
    () => {
      const root = project({
        'tide/Gauge.java': 'package tide;\npublic class Gauge {\n  int x = "a";\n  Nothing y;\n}\n',
      });
      const { status, stderr } = run(root, ['build']);
      expect(status).toBe(2);
      expect(stderr).toContain('f/tide/Gauge.java:3:11');
      expect(stderr).toContain('f/tide/Gauge.java:4:3');
      expect(stderr).toContain('incompatible types');
    },
    60_000,
  );

  const gauge = (members: string): Files => ({
    'tide/Gauge.java': `package tide;\nimport java.util.Map;\n${members}\n`,
  });
  itWithJava.each<[string, string, Record<string, unknown>, readonly string[]]>([
    ['another class', 'public class Other {}', {}, ['stop entry/missing-file tide.Gauge: no such class']],
    [
      'another method',
      'public class Gauge { public void reed(Map<String, Object> e) {} }',
      {},
      ['stop entry/missing-member tide.Gauge: only `reed`'],
    ],
    [
      'a method that is not public',
      'public class Gauge { void read(Map<String, Object> e) {} }',
      {},
      ['stop entry/missing-member tide.Gauge: `read`, which is not public'],
    ],
    [
      'two of that name',
      'public class Gauge { public void read(String e) {} public void read(Map<String, Object> e) {} }',
      {},
      ['stop entry/missing-member tide.Gauge: 2 of that name, so that the host cannot tell which is meant'],
    ],
    [
      'a class that cannot be made',
      'public class Gauge { public Gauge(int x) {} public void read(String e) {} }',
      {},
      ['stop entry/missing-member tide.Gauge: a class without a public constructor that takes nothing'],
    ],
    [
      'parameters that nobody supplies',
      'public class Gauge { public static void read(String e, int depth, long[] more) {} }',
      {},
      ['stop entry/parameters tide.Gauge: `read(String, int, long[])`'],
    ],
    [
      'no parameter',
      'public class Gauge { public static int read() { return 1; } }',
      {},
      ['stop entry/parameters tide.Gauge: `read()`'],
    ],
    [
      'a class that is not public',
      'class Gauge { public static int read(String e) { return 1; } }',
      {},
      ['stop entry/missing-member tide.Gauge: a method of a class that is not public'],
    ],
    [
      'fields that JSON cannot fill',
      'public class Gauge { public static int read(Tide e) { return 1; }\n public static class Tide { public java.util.Optional<String> name; public java.time.Instant at; public int cm; } }',
      {},
      ['warn entry/parameters tide.Gauge: `Optional name`, `Instant at`'],
    ],
    [
      'a setting that is not declared',
      'public class Gauge { public String read(String e) { return System.getenv("DEPTH"); } }',
      { settings: { DEPHT: { sample: '7' } } },
      ['stop settings/undeclared tide/Gauge.class:3: `DEPTH`', 'note settings/unread DEPHT: none'],
    ],
  ])(
    'are held to being callable: %s',
    (_name, source, keys, found) => {
      const root = project(
        {
          ...gauge(source),
          ...(source.includes('class Other') && {
            'tide/Gauge.java': '',
            'tide/Other.java': `package tide;\n${source}`,
          }),
        },
        keys,
      );
      expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
      expect(findingsOf(root)).toEqual(found);
    },
    60_000,
  );

  itWithJava(
    'that are taken from a folder or a JAR of another build are held to the runtime’s version',
    () => {
      const root = project(SOURCE);
      expect(run(root, ['build'])).toMatchObject({ status: 0 });
      const classes = jarContent(join(root, 'out/gauge/x86_64/gauge.jar'));
      classes.delete('META-INF/MANIFEST.MF');
      const older = project(Object.fromEntries(classes), { runtime: 'java 11' });
      expect(run(older, ['build'])).toMatchObject({ status: 0, stderr: '' });
      expect(findingsOf(older)).toEqual(['stop runtime/java-version tide/Gauge.class: one for Java 17, and 1 more']);
      const packed = project({ 'app.jar': readFileSync(join(root, 'out/gauge/x86_64/gauge.jar')) });
      expect(run(packed, ['build'])).toMatchObject({ status: 0, stderr: '' });
      expect([...jarContent(join(packed, 'out/gauge/x86_64/gauge.jar')).keys()]).toContain('tide/Texts.class');
    },
    60_000,
  );

  itWithJava(
    'that are gone are told when the function is called, with the line that keeps them',
    () => {
      const lost =
        'public class Gauge { public Object read(String e) throws Exception { return Class.forName("tide." + "Lost".toString()).getConstructor().newInstance().toString(); } }';
      const root = project(
        {
          ...gauge(lost),
          'tide/Lost.java': 'package tide;\npublic class Lost { public String toString() { return "found"; } }\n',
        },
        { trim: 'traced' },
      );
      expect(run(root, ['build'])).toMatchObject({ status: 0 });
      // Own code that looks classes up keeps the function's own classes.
      expect(findingsOf(root)).toEqual([expect.stringContaining('note deps/unseen-import') as unknown]);
      expect(run(root, ['try', 'gauge', '--event', 'event.json'])).toMatchObject({ status: 0 });
      const gone = project(gauge(lost));
      expect(run(gone, ['build'])).toMatchObject({ status: 0 });
      const { status, stdout } = run(gone, ['try', 'gauge', '--event', 'event.json']);
      expect(status).toBe(1);
      expect(stdout).toContain('the class tide.Lost');
      expect(stdout).toContain('keep: ["tide/Lost.class"]');
    },
    60_000,
  );
});

describe('methods and fields that nothing reaches', () => {
  itWithJava(
    'are taken out of libraries, and what is left runs and is verified',
    () => {
      const root = demoProject();
      const sheet = readFileSync(join(root, 'emballage.yaml'), 'utf8');
      put(root, {
        'emballage.yaml': sheet
          .replace('trim: traced', 'trim: { traced: deep }')
          .replace(/entry: .*/, 'entry: fernhaven.Small#plan'),
        'functions/berth-planner/fernhaven/Small.java': `package fernhaven;
public class Small {
  public Object plan(Object event) { return fernhaven.moorings.MooringBook.table() + new fernhaven.moorings.MooringBook().stays(); }
}
`,
      });
      for (const path of ['Berths', 'NewHarbour']) rmSync(join(root, `functions/berth-planner/fernhaven/${path}.java`));
      rmSync(join(root, 'functions/berth-planner/META-INF'), { recursive: true });
      expect(run(root, ['lock'])).toMatchObject({ status: 0 });
      expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
      const book = readClass(
        jarContent(join(root, ARTIFACT)).get('fernhaven/moorings/MooringBook.class') ?? Buffer.alloc(0),
      );
      expect(book.methods.map(({ name }) => name).sort()).toEqual(['<init>', 'stays', 'table']);
      const answer = run(root, ['try', 'berth-planner', '--json']);
      expect([answer.status, answer.stdout]).toEqual([0, expect.stringContaining('tide table 2.1.0[]') as unknown]);
    },
    120_000,
  );
});
