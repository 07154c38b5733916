/** Functions for the Java virtual machine. */
import type { Language } from '../language';
import { KEPT } from './caches';
import { lighter } from './suggestions';
import type { JvmKeys, LockedJvm, LockedJvmPackage } from './own';

declare module '../../sheet/model' {
  interface Languages {
    jvm: {
      keys: JvmKeys;
      lockedPackage: LockedJvmPackage;
      locked: LockedJvm;
      carriedPackage: never;
      carried: LockedJvm;
    };
  }
}

export const jvm: Language<'jvm'> = {
  id: 'jvm',
  title: 'JVM',
  runtime: {
    word: 'java',
    version: { sheet: '[1-9]\\d*', offered: '\\d+', shown: 'X' },
    aliases: ['jvm', 'jdk', 'jre', 'openjdk', 'kotlin', 'scala', 'groovy', 'clojure'],
    sample: 'java 17',
  },
  sheet: {
    forms: ['jar', 'image'],
    adapters: [],
    entry: {
      hasMember: true,
      isPath: false,
      pattern: /^[A-Za-z_$][\w$]*(?:\.[A-Za-z_$][\w$]*)*$/,
      endings: 'the name of a class, with dots',
      mend: 'write it as `package.Class#method`',
      sample: 'fernhaven.Berths#plan',
      hostKey: 'jvm',
      hostForm: '{class}#{member}',
      words: ({ file, member }) => {
        const path = `${file.replaceAll('.', '/')}.class`;
        return { path, file, module: file, class: file, member };
      },
    },
    needs: { files: /^pom\.xml$|\.pom$/, expected: '`pom.xml`', isListed: true },
    keys: ['relocate', 'merge', 'debug', 'main', 'processors', 'sources'],
    traced: ['deep'],
    broughtBy: 'java',
    texts: {
      runtime: '`java X`',
      entry: 'for the JVM a class and a method, `fernhaven.Berths#plan`',
      needs: 'for the JVM `group:artifact:version` each, or a `pom.xml`',
      sources: 'for the JVM repositories in the Maven layout; `id` is their name in Maven’s settings',
      trim: 'for the JVM with `{ traced: deep }` also methods and fields',
    },
    open: async () => (await import('./keys')).jvmKeys,
  },
  parts: async () => (await import('./parts')).jvmParts,
  suggestions: lighter,
  caches: Object.values(KEPT),
  pages: {
    about: 'one with a pom.xml is compiled into a JAR of a Maven repository',
    open: async (machine) => (await import('./repository/pages')).openPages(machine),
  },
  survey: async () => (await import('./survey')).jvmSurveyor,
  describing: async () => (await import('./view/describing')).jvmDescribing,
  weighing: async () => (await import('./view/weighing')).jvmWeighing,
  open: async () => (await import('./work')).jvmWork,
};
