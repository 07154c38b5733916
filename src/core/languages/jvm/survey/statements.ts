/** Where a repository states what JVM functions need, and which Java they are for. */
import { EmballageError, messageOf } from '../../../base/errors';
import { joinPath, upwards } from '../../../base/paths';
import { allOf, firstIn, type SurveyedFunction, type SurveyedTree, type SurveyRequest } from '../../surveying';
import { readPom } from '../maven';
import { javasOf } from '../run/machines';

type Pom = ReturnType<typeof readPom>;

const POM = 'pom.xml';
const SCRIPTS = ['build.gradle', 'build.gradle.kts'];

/** Reads the POMs of a repository, each once. */
export class Poms {
  readonly #request: SurveyRequest;
  readonly #read = new Map<string, Pom | undefined>();

  constructor(request: SurveyRequest) {
    this.#request = request;
  }

  in(folder: string): Pom | undefined {
    const path = joinPath(folder, POM);
    const { tree, onNote } = this.#request;
    if (!this.#read.has(path)) {
      let found: Pom | undefined;
      try {
        found = tree.has(path) ? readPom(tree.text(path) ?? '', path) : undefined;
      } catch (error) {
        onNote({
          where: path,
          text: `passed over: ${error instanceof EmballageError ? error.facts.found : messageOf(error)}`,
        });
      }
      this.#read.set(path, found);
    }
    return this.#read.get(path);
  }
}

type StatedNeeds = NonNullable<SurveyedFunction['needs']>;

/** What a source folder needs; what of it has to be done by hand stands under `lacking`. */
export function needsOf(
  { tree }: SurveyRequest,
  poms: Poms,
  source: string,
): { readonly needs?: StatedNeeds; readonly lacking: readonly string[] } {
  for (const folder of upwards(source)) {
    const pom = poms.in(folder);
    if (pom !== undefined && pom.packaging !== 'pom') {
      const path = joinPath(folder, POM);
      if (folder === source) return { needs: { why: `${path} is found by itself` }, lacking: [] };
      return { needs: { value: path, why: 'the nearest POM' }, lacking: [] };
    }
    const script = firstIn(tree, folder, SCRIPTS);
    if (script !== undefined) return fromScript(tree, script);
  }
  return { lacking: [] };
}

const CONFIGURATION = '(?:implementation|api|runtimeOnly|compile|runtime)';

/** Coordinates that stand in a build script as plain texts. */
function fromScript(
  tree: SurveyedTree,
  path: string,
): { readonly needs?: StatedNeeds; readonly lacking: readonly string[] } {
  const text = (tree.text(path) ?? '').replace(/\/\/.*$/gm, '');
  const all = allOf(text, new RegExp(`\\b${CONFIGURATION}\\s*\\(?\\s*["']([^"'\\n]+)["']`, 'g'));
  const value = all.filter((one) => /^[\w.-]+:[\w.-]+:[\w.+-]+(?::[\w.-]+)?$/.test(one));
  const others = [...text.matchAll(new RegExp(`\\b${CONFIGURATION}\\s*\\(?\\s*(\\w[^\\n]*)`, 'g'))].length;
  const unread = [...all.filter((one) => !value.includes(one)), ...(others > 0 ? ['what is no plain text'] : [])];
  return {
    ...(value.length > 0 && { needs: { value, why: `as ${path} has them` } }),
    lacking: unread.length === 0 ? [] : [`${path} states more than was read: list it under \`needs\` with its version`],
  };
}

const RELEASE = /^(?:1\.)?\d+$/;

/** The release by what is stated nearest to a folder; else the lowest the code asks for, or what is here. */
export async function versionFor(
  request: SurveyRequest,
  poms: Poms,
  source: string,
  needed: { readonly since: number; readonly what: string } | undefined,
): Promise<SurveyedFunction['runtime']> {
  for (const folder of upwards(source)) {
    const stated = statedIn(request.tree, poms, folder);
    if (stated === undefined) continue;
    const release = releaseOf(stated.text);
    return { value: `java ${String(release)}`, why: `${stated.file} says so`, fits: (one) => Number(one) >= release };
  }
  const [here] = await javasOf(request.machine);
  const own = here?.major ?? 17;
  const fits = (version: string): boolean => needed === undefined || Number(version) >= needed.since;
  if (needed !== undefined && needed.since > own)
    return { value: `java ${String(needed.since)}`, why: `it has ${needed.what}`, fits };
  return { value: `java ${String(own)}`, why: 'stated nowhere; what this machine has', fits };
}

function statedIn(
  tree: SurveyedTree,
  poms: Poms,
  folder: string,
): { readonly file: string; readonly text: string } | undefined {
  const text = statedByPom(tree, poms, folder);
  if (text !== undefined) return { file: joinPath(folder, POM), text };
  const script = firstIn(tree, folder, SCRIPTS);
  const words =
    /(?:JavaLanguageVersion\.of\(|(?:source|target)Compatibility\s*=\s*(?:JavaVersion\.VERSION_)?["']?|release\s*=\s*|options\.release\.set\()((?:1[._])?\d+)/;
  const found = words.exec(script === undefined ? '' : (tree.text(script) ?? ''))?.[1];
  return script === undefined || found === undefined ? undefined : { file: script, text: found.replace('_', '.') };
}

function statedByPom(tree: SurveyedTree, poms: Poms, folder: string): string | undefined {
  const properties = poms.in(folder)?.properties ?? {};
  const filled = (text: string): string => text.replace(/^\$\{([^}]+)\}$/, (_, name: string) => properties[name] ?? '');
  for (const name of ['release', 'target', 'source']) {
    const plugin = new RegExp(`<${name}>\\s*([^<\\s]+)\\s*</${name}>`).exec(compilerPart(tree, folder))?.[1];
    const text = filled(properties[`maven.compiler.${name}`] ?? plugin ?? '');
    if (RELEASE.test(text)) return text;
  }
  const own = properties['java.version'] ?? '';
  return RELEASE.test(own) ? own : undefined;
}

/** What a POM says of the compiler's plugin. */
function compilerPart(tree: SurveyedTree, folder: string): string {
  const text = tree.text(joinPath(folder, POM)) ?? '';
  return /<artifactId>\s*maven-compiler-plugin\s*<[\s\S]*?<\/plugin>/.exec(text)?.[0] ?? '';
}

/** `1.8` is 8. */
function releaseOf(text: string): number {
  return Number(text.replace(/^1\./, ''));
}
