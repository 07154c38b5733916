/** A repository in the Maven layout: POMs as they lie there, JARs that are compiled when they are first asked for. */
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { EmballageError } from '../../../base/errors';
import { filesBelow, writeStoredZip } from '../../../disk/stored-zip';
import { readPom, type Coordinates } from '../maven';
import { layoutPath } from '../../../sources';
import { compileJava } from '../run/compile-java';
import type { JavaRuntime } from '../run/machines';

export const MAVEN_PATH = '/maven/';

export interface MavenCatalogue {
  /** How many projects it has. */
  readonly size: number;
  /** A file by its path in the layout, or one of its checksums; undefined where there is none. */
  file(path: string): Promise<Buffer | undefined>;
}

interface Project {
  readonly folder: string;
  readonly coordinates: Coordinates;
  readonly pom: string;
  readonly needs: readonly string[];
  jar: Promise<Buffer> | undefined;
}

/** Classes are compiled for this version, which every supported compiler can write. */
const RELEASE = 17;

export class MavenProjects implements MavenCatalogue {
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
    const scratch = mkdtempSync(join(tmpdir(), 'emballage-jar-'));
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
      const sources = filesBelow(code).map(({ source }) => source);
      const release = { release: RELEASE, processors: [], shown: (path: string) => path };
      await compileJava({ java, sources, classPath, target, scratch, ...release });
      const jar = join(scratch, 'made.jar');
      writeStoredZip(jar, [...filesBelow(target), ...(existsSync(resources) ? filesBelow(resources) : [])]);
      return readFileSync(jar);
    } finally {
      rmSync(scratch, { recursive: true, force: true });
    }
  }
}

function keyOf({ group, artifact, version }: Coordinates): string {
  return `${group}:${artifact}:${version}`;
}
