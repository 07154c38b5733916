/** What the Java machine sees in an artifact, as rules ask for it. */
import type { LanguageView } from '../../../findings/view';
import type { ViewRequest } from '../../language';
import { eventReads } from './event-reads';
import { viewJvmArtifact, type JvmView } from './artifact-view';
import { clashesInJvm } from '../rules/clashes';
import { judgeMember, judgeParameters, missingClass } from '../rules/entry-method';
import { missingInJvm } from '../rules/missing';
import { ownClasses, type JvmLanguageView } from '../rules/shared';
import { testOnlyInJvm } from '../rules/test-only';
import { unusedInJvm } from '../rules/unused';
import { knownApi } from '../run/jdk-api';
import { javasOf } from '../run/machines';
import { running } from '../run/running';

const MAX_CLASS_BYTES = 64 * 1024 * 1024;
/** Later than any: what is not told is taken as it comes. */
const ANY_VERSION = 999;

/** What rules may ask of a JVM artifact. */
export async function jvmView(request: ViewRequest<'jvm'>): Promise<JvmLanguageView> {
  const { subject, facts, destination, runtime } = request;
  const jvm = await look(request);
  const own = () => ownClasses(jvm, facts);
  return {
    isProgram: false,
    jvm,
    ...(jvm !== undefined && {
      entryPlace: (entry) => missingClass(jvm, entry),
      entryMember: (entry) => judgeMember(jvm, entry),
      parameters: (entry) => judgeParameters(jvm, entry),
      reads: (entry) => eventReads(subject, entry),
      testOnly: () => testOnlyInJvm(jvm, facts),
    }),
    missing: () => missingInJvm(jvm, facts, destination),
    clashes: () => clashesInJvm(facts.waybill),
    unused: (waybill) => unusedInJvm(jvm, facts, waybill),
    settings: () =>
      own().flatMap(({ path, facts: { settings } }) =>
        settings.map(({ name, line }) => ({ name, line, file: path, hasDefault: false })),
      ),
    // A text in a class stands there as it is.
    texts: () => own().map(({ path }) => subject.readText(path) ?? ''),
    hasLoaded: (library) => library === 'libjvm.so',
    runtimeIn: (image, env) => running.image.find(image, env, runtime?.version ?? ''),
    ...(facts.waybill !== undefined && subject.form.manifest !== undefined && { overlap }),
  };
}

/** Undefined where the entry is not known. */
async function look({ subject, facts, runtime, machine }: ViewRequest<'jvm'>): Promise<JvmView | undefined> {
  const { entry } = facts;
  if (entry === undefined) return undefined;
  const java = runtime === undefined ? ANY_VERSION : Number(runtime.version);
  const [newest] = runtime === undefined ? [] : await javasOf(machine);
  return viewJvmArtifact({
    paths: subject.entries.filter(({ kind }) => kind === 'file').map(({ path }) => path),
    readBytes: (path) => subject.readBytes(path, MAX_CLASS_BYTES),
    entry: entry.file,
    java,
    jdk: runtime === undefined ? undefined : await knownApi(machine, java),
    newest: newest === undefined || newest.major <= java ? undefined : await knownApi(machine, newest.major),
  });
}

const MEND = 'drop one of them, move one with `relocate`, or name the file under `merge: { append: […] }`';

/** What is written for people and for tools, and collides all the time: texts, versions of libraries, settings of compilers. */
const FOR_PEOPLE =
  /\.(?:txt|md|html?|rst|adoc|pdf|css|png|gif|svg)$|(?:^|\/)(?:README|CHANGES|CHANGELOG|DEPENDENCIES|AUTHORS|THANKS|CREDITS)[^/]*$|^META-INF\/(?:maven|native-image|licen[cs]es?)\/|versions?\.properties$|(?:^|\/)(?:git|build(?:-?info)?)\.properties$|\.(?:pro|inf|bnd|java|kotlin_module|kotlin_builtins)$|^(?:about\.\w+|plugin\.(?:properties|xml)|rootdoc\.txt|\.api_description|schema\/.*\.exsd)$/i;

/** In a JAR notes about libraries collide all the time; what code loads does not. */
const overlap: NonNullable<LanguageView['overlap']> = ({ path }) => ({
  level: FOR_PEOPLE.test(path) ? 'note' : 'stop',
  mend: MEND,
});
