import { join } from 'node:path';
import { startTestIndex } from '../support';
import { findingsOf, GAUGE_SOURCE as SOURCE, itWithJava, jarContent, jvmProject as project } from '../support/jvm';
import { folderWith, put, run } from '../support/program';

describe('classes', () => {
  itWithJava(
    'are given numbers with all their digits, and answer with bytes that hold JSON; what check stops is not called',
    () => {
      const called = (code: string): string => {
        const root = project({ 'tide/Gauge.java': `package tide;\nimport java.util.Map;\n${code}` });
        put(root, { 'event.json': '[9007199254740993, 123456789012345678901, 0.1, 1.10]' });
        expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
        return run(root, ['try', 'gauge', '--event', 'event.json', '--json']).stdout;
      };
      const answered = called(
        'public class Gauge { public byte[] read(Map<String, Object> e) { return ("{\\"n\\":" + e.get("data") + "}").getBytes(); } }',
      );
      expect(answered).toContain('{\\"n\\":[9007199254740993,123456789012345678901,0.1,1.1]}');
      expect(called('class Gauge { public static int read(String e) { return 1; } }')).toContain(
        'method of a class that is not public',
      );
      expect(called('public class Gauge { public static int read() { return 1; } }')).toContain(
        'method with 0 parameters, where an event and a context are given',
      );
    },
    60_000,
  );

  itWithJava(
    'do not move where native code is linked to them, and old names that stay in texts are told',
    () => {
      const bound = project(
        { 'tide/Gauge.java': 'package tide;\npublic class Gauge { public native String read(String e); }\n' },
        { entry: 'moved.Gauge#read', relocate: { tide: 'moved' } },
      );
      const { status, stderr } = run(bound, ['build']);
      expect(status).toBe(2);
      expect(stderr).toContain('`tide.Gauge.read`, which its library finds by the name that the class has');
      expect(stderr).toContain('`relocate: { except: ["tide.*"] }`');
      const texts = { 'tide/log.properties': 'a=tide.Gauge\nlogger.tide.Texts=fine\nhigh=tide\n' };
      const root = project({ ...SOURCE, ...texts }, { entry: 'moved.to.Gauge#read', relocate: { tide: 'moved.to' } });
      expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
      expect(findingsOf(root).filter((one) => one.includes('old-name'))).toEqual([
        'warn deps/old-name moved/to/log.properties:2: `tide.Texts`',
        'warn deps/old-name moved/to/log.properties:3: `tide`',
      ]);
    },
    60_000,
  );

  itWithJava(
    'that processors make are kept, and so is what descriptors name; what processors write is not packed',
    async () => {
      const processor = `package tide;
import java.util.Set;
import javax.annotation.processing.*;
import javax.lang.model.SourceVersion;
import javax.lang.model.element.TypeElement;
@SupportedAnnotationTypes("*")
public class Marks extends AbstractProcessor {
  private boolean isDone;
  public SourceVersion getSupportedSourceVersion() { return SourceVersion.latest(); }
  public boolean process(Set<? extends TypeElement> all, RoundEnvironment round) {
    if (isDone) return false;
    isDone = true;
    try (java.io.Writer out = processingEnv.getFiler().createSourceFile("tide.GaugeMarks").openWriter()) {
      out.write("package tide; public class GaugeMarks { public String toString() { return \\"marked\\"; } }");
    } catch (java.io.IOException e) { throw new RuntimeException(e); }
    return false;
  }
}
`;
      const pom = (name: string): string =>
        `<project><modelVersion>4.0.0</modelVersion><groupId>org.fernhaven</groupId><artifactId>${name}</artifactId><version>1.0</version></project>`;
      const { url } = await startTestIndex(
        folderWith({
          'marks-1.0/src/main/java/tide/Marks.java': processor,
          'marks-1.0/pom.xml': pom('marks'),
          // A library for others, and no class at all.
          'waves-1.0/src/main/resources/META-INF/native/libwaves.so': 'not loaded here',
          'waves-1.0/pom.xml': pom('waves'),
        }),
      );
      const code =
        'package tide;\npublic class Gauge { public String read(String e) throws Exception { return "" + Class.forName(getClass().getName() + "Marks").getConstructor().newInstance(); } }\n';
      const root = project(
        {
          'tide/Gauge.java': code,
          'tide/Wired.java': 'package tide; class Wired {}\n',
          'beans.xml': '<bean class="tide.Wired"/>',
        },
        {
          processors: ['tide.Marks'],
          trim: 'traced',
          needs: ['org.fernhaven:marks:1.0', 'org.fernhaven:waves:1.0'],
          sources: [{ index: url.replace('/simple', '/maven') }],
        },
      );
      for (const command of ['lock', 'build']) expect(run(root, [command])).toMatchObject({ status: 0, stderr: '' });
      const paths = [...jarContent(join(root, 'out/gauge/x86_64/gauge.jar')).keys()];
      expect(paths).toEqual(
        expect.arrayContaining(['META-INF/native/libwaves.so', 'tide/GaugeMarks.class', 'tide/Wired.class']),
      );
      expect(paths.filter((path) => path.endsWith('.java'))).toEqual([]);
      expect(run(root, ['try', 'gauge', '--event', 'event.json'])).toMatchObject({ status: 0 });
    },
    60_000,
  );
});
