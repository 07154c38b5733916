/** A repository in the Maven layout: POMs as they lie there, JARs that are compiled when they are first asked for. */
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { makeScratch, removeScratch } from '../../../disk/scratch';
import { EmballageError } from '../../../base/errors';
import { count } from '../../../base/text';
import { filesBelow, writeStoredZip } from '../../../disk/unpack/stored-zip';
import { readPom, type Coordinates } from '../maven';
import type { Machine } from '../../../toolchains/machine';
import type { Pages } from '../../pages';
import { layoutPath } from './maven-repository';
import { compileJava } from '../run/compile-java';
import { chooseCompiler, javasOf, type JavaRuntime } from '../run/machines';

const MAVEN_PATH = '/maven/';

interface Project {
  readonly folder: string;
  readonly coordinates: Coordinates;
  readonly pom: string;
  readonly needs: readonly string[];
  jar: Promise<Buffer> | undefined;
}

/** Classes are compiled for this version, which every supported compiler can write. */
const RELEASE = 17;

/** What projects are compiled with is looked for when the first is there; without it their JARs are not offered. */
export async function openPages(machine: Machine): Promise<Pages> {
  const projects = new MavenProjects(chooseCompiler(await javasOf(machine), RELEASE));
  return {
    take(folder, shown, name) {
      if (!existsSync(join(folder, name, 'pom.xml'))) return false;
      projects.add(join(folder, name), join(shown, name));
      return true;
    },
    async page({ path, fault }) {
      if (!path.startsWith(MAVEN_PATH)) return undefined;
      const found = await projects.file(path.slice(MAVEN_PATH.length));
      if (found === undefined) return undefined;
      if (fault === 'html-as-json')
        return { kind: 'text', type: 'text/xml', body: '<html>not what you asked for</html>', isTagged: false };
      if (fault === 'wrong-digest' && path.endsWith('.sha1'))
        return { kind: 'text', type: 'text/plain', body: '0'.repeat(40), isTagged: false };
      return { kind: 'file', bytes: found };
    },
    offer(base) {
      const url = base + MAVEN_PATH.replace(/\/$/, '');
      const line = projects.size === 0 ? undefined : count(projects.size, 'Maven artifact');
      return { key: 'mavenUrl', url, projects: [], files: 0, line, naming: undefined };
    },
  };
}

class MavenProjects {
  readonly #java: JavaRuntime | undefined;
  readonly #projects = new Map<string, Project>();

  constructor(java: JavaRuntime | undefined) {
    this.#java = java;
  }

  get size(): number {
    return this.#projects.size;
  }

  add(folder: string, shown: string): void {
    const pom = readFileSync(join(folder, 'pom.xml'), 'utf8');
    const { group, artifact, version, parent, dependencies } = readPom(pom, join(shown, 'pom.xml'));
    const coordinates = { group: group ?? parent?.group ?? '', artifact, version: version ?? parent?.version ?? '' };
    const needs = dependencies.map((one) => [one.group, one.artifact, one.version ?? ''].join(':'));
    this.#projects.set(keyOf(coordinates), { folder, coordinates, pom, needs, jar: undefined });
  }

  async file(path: string): Promise<Buffer | undefined> {
    const [, plain = path, sum] = /^(.+)\.(sha1|sha256|md5)$/.exec(path) ?? [];
    const found = await this.#plain(plain);
    return found === undefined || sum === undefined ? found : Buffer.from(createHash(sum).update(found).digest('hex'));
  }

  async #plain(path: string): Promise<Buffer | undefined> {
    for (const project of this.#projects.values()) {
      const at = (extension: string): string => layoutPath({ ...project.coordinates, classifier: '', extension });
      if (path === at('pom')) return Buffer.from(project.pom);
      if (path === at('jar')) return this.#jar(project);
    }
    const [, group = '', artifact = ''] = /^(.+)\/([^/]+)\/maven-metadata\.xml$/.exec(path) ?? [];
    const versions = [...this.#projects.values()].flatMap(({ coordinates }) =>
      coordinates.group === group.replaceAll('/', '.') && coordinates.artifact === artifact
        ? [coordinates.version]
        : [],
    );
    if (versions.length === 0) return undefined;
    const listed = versions.map((version) => `<version>${version}</version>`).join('');
    return Buffer.from(
      `<metadata><groupId>${group.replaceAll('/', '.')}</groupId><artifactId>${artifact}</artifactId><versioning><versions>${listed}</versions></versioning></metadata>\n`,
    );
  }

  #jar(project: Project): Promise<Buffer> {
    return (project.jar ??= this.#make(project));
  }

  async #make({ folder, needs, coordinates }: Project): Promise<Buffer> {
    const java = this.#java;
    if (java === undefined)
      throw new EmballageError('TOOLCHAIN_MISSING', {
        doing: `compiling ${keyOf(coordinates)}`,
        expected: `a Java compiler of version ${String(RELEASE)} or newer`,
        found: 'none on this machine',
        mend: 'install a JDK, such as Debian’s default-jdk-headless',
      });
    const scratch = makeScratch('jar');
    try {
      const target = join(scratch, 'classes');
      mkdirSync(target);
      const classPath: string[] = [];
      for (const one of needs) {
        const needed = this.#projects.get(one);
        if (needed === undefined) continue;
        const path = join(scratch, `${String(classPath.length)}.jar`);
        writeFileSync(path, await this.#jar(needed));
        classPath.push(path);
      }
      const [code, resources] = [join(folder, 'src/main/java'), join(folder, 'src/main/resources')];
      const sources = existsSync(code) ? filesBelow(code).map(({ source }) => source) : [];
      const release = { release: RELEASE, processors: [], shown: (path: string) => path };
      if (sources.length > 0) await compileJava({ java, sources, classPath, target, scratch, ...release });
      const jar = join(scratch, 'made.jar');
      writeStoredZip(jar, [...filesBelow(target), ...(existsSync(resources) ? filesBelow(resources) : [])]);
      return readFileSync(jar);
    } finally {
      removeScratch(scratch);
    }
  }
}

function keyOf({ group, artifact, version }: Coordinates): string {
  return `${group}:${artifact}:${version}`;
}
