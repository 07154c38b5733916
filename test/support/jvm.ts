/** What tests of JVM functions share. */
import { spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { DESTINATION, folderWith, run, type Files } from './program';
import { sourceOfBytes } from '../../src/core/formats/byte-source';
import { itWith } from './needs';
import { openZip, readEntry } from '../../src/core/formats/zip';

export const DEMO = join(__dirname, '../../demo');
export const FIXTURES = join(__dirname, '../fixtures/jvm');

/** Content of the entries of a JAR, by path, in its order. */
export function jarContent(path: string): Map<string, Buffer> {
  const bytes = readFileSync(path);
  const source = sourceOfBytes(bytes);
  const files = openZip(source, path).entries.filter(({ kind }) => kind === 'file');
  return new Map(files.map((entry) => [entry.path, Buffer.from(readEntry(source, entry, 1 << 28))]));
}

/** A test that needs a Java compiler. */
export const itWithJava = itWith('javac');

/** What Java prints when it runs a JAR, or a class of a class path, with every class verified. */
export function runJava(args: readonly string[]): { readonly status: number | null; readonly out: string } {
  const { status, stdout, stderr } = spawnSync('java', ['-Xverify:all', ...args], { encoding: 'utf8' });
  return { status, out: stdout + stderr };
}

/** A project with one JVM function in `f/`, and keys of its own. */
export function jvmProject(source: Files, keys: Readonly<Record<string, unknown>> = {}): string {
  const spec = {
    source: 'f',
    runtime: 'java 17',
    entry: 'tide.Gauge#read',
    artifact: 'jar',
    arch: ['x86_64'],
    ...keys,
  };
  return folderWith({
    ...Object.fromEntries(Object.entries(source).map(([path, content]) => [`f/${path}`, content])),
    'emballage.yaml': JSON.stringify({
      project: 'fernhaven-tides',
      destinations: { slipway: 'slipway.yaml' },
      defaults: { destination: 'slipway' },
      functions: { gauge: spec },
    }),
    'slipway.yaml': DESTINATION.replace(/^accepts:/m, 'accepts:\n  jar: { packed: 4 MiB }').replace(
      /^runtimes:/m,
      'runtimes:\n  java 17: {}\n  java 11: {}',
    ),
    'event.json': '{ "level": 412 }',
  });
}

interface Checked {
  readonly artifacts: readonly {
    readonly rules: readonly { id: string; findings: readonly { level: string; where?: string; found: string }[] }[];
  }[];
}

/** What check finds in the artifact of a project: `level rule where: found`. */
export function findingsOf(root: string): string[] {
  const { artifacts } = JSON.parse(run(root, ['check', '--json']).stdout) as Checked;
  return (artifacts[0]?.rules ?? []).flatMap(({ id, findings }) =>
    findings.map(({ level, where = '', found }) => `${level} ${id} ${where}: ${found}`),
  );
}

const GAUGE = `package tide;
import java.util.Map;
public class Gauge {
  public Object read(Map<String, Object> event, Map<String, Object> context) throws Exception {
    return Map.of("event", event.get("data"), "name", context.get("name"), "unit", Texts.unit());
  }
  public static void main(String[] args) { System.out.println("unit " + Texts.unit()); }
}
`;
const TEXTS = `package tide;
class Texts {
  static String unit() { return java.util.ResourceBundle.getBundle("tide.texts").getString("unit"); }
}
`;
/** A function of two classes and a resource. */
export const GAUGE_SOURCE = {
  'tide/Gauge.java': GAUGE,
  'tide/Texts.java': TEXTS,
  'tide/texts.properties': 'unit=cm\n',
};
