// The JVM: the plain program runs on the class path that Maven settles.
import { spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';

const CALL = `import java.util.Map;
public class Call {
  public static void main(String[] a) throws Exception {
    String answer = app.Main.handle(Map.of("data", Map.of()));
    System.out.println("\\n@@" + java.util.Base64.getEncoder().encodeToString(answer.getBytes("UTF-8")));
    System.exit(0);
  }
}
`;

function write(folder, files) {
  for (const [path, text] of Object.entries(files)) {
    mkdirSync(dirname(join(folder, path)), { recursive: true });
    writeFileSync(join(folder, path), text);
  }
}

/** The method of a case, as a class. */
function mainOf({ imports = '', code, members = '' }) {
  return `package app;\n${imports}\npublic class Main {\n  ${members}\n  public static String handle(java.util.Map<String, Object> event) throws Exception {\n    ${code}\n  }\n}\n`;
}

function sources(one) {
  return { 'app/Main.java': mainOf(one), ...one.files };
}

function pomOf({ needs }) {
  const dependencies = needs.map((need) => {
    const [group, artifact, version] = need.split(':');
    return `<dependency><groupId>${group}</groupId><artifactId>${artifact}</artifactId><version>${version}</version></dependency>`;
  });
  return `<project xmlns="http://maven.apache.org/POM/4.0.0"><modelVersion>4.0.0</modelVersion><groupId>x</groupId><artifactId>x</artifactId><version>1</version><dependencies>${dependencies.join('')}</dependencies></project>`;
}

export const jvm = {
  forms: [{ trim: 'safe' }, { trim: 'traced' }, { trim: { traced: 'deep' } }],
  spec: ({ needs }) => ({ runtime: 'java 17', entry: 'app.Main#handle', artifact: 'jar', needs }),
  source(one, folder) {
    write(folder, sources(one));
  },
  settled: (answer) => JSON.stringify(answer),
  plain(one, folder) {
    const all = { ...sources(one), 'Call.java': CALL };
    write(join(folder, 'f'), all);
    write(folder, { 'pom.xml': pomOf(one) });
    const run = (program, ...args) => spawnSync(program, args, { cwd: folder, encoding: 'utf8', maxBuffer: 1 << 28 });
    const settled = run('mvn', '-q', '-B', 'dependency:build-classpath', '-Dmdep.outputFile=cp.txt');
    if (settled.status !== 0) return { error: `mvn: ${settled.stdout}${settled.stderr}` };
    const path = `f:out:${readFileSync(join(folder, 'cp.txt'), 'utf8').trim()}`;
    const code = Object.keys(all).filter((name) => name.endsWith('.java'));
    const compiled = run('javac', '-proc:none', '-d', 'out', '-cp', path, ...code.map((name) => join('f', name)));
    if (compiled.status !== 0) return { error: compiled.stderr };
    const { stdout, stderr } = run('java', '-cp', path, 'Call');
    const at = stdout.lastIndexOf('\n@@');
    return at < 0
      ? { error: stderr.slice(-1500) }
      : { answer: JSON.stringify(Buffer.from(stdout.slice(at + 3).trim(), 'base64').toString('utf8')) };
  },
};
