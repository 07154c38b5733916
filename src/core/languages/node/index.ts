/** Functions in JavaScript and TypeScript, run by Node.js. */
import type { Language } from '../language';
import { KEPT } from './caches';
import { lighter } from './suggestions';
import type { LockedNode, LockedNodePackage, CarriedNodePackage, NodeKeys } from './own';

declare module '../../sheet/model' {
  interface Languages {
    node: {
      keys: NodeKeys;
      lockedPackage: LockedNodePackage;
      locked: LockedNode;
      carriedPackage: CarriedNodePackage;
      carried: never;
    };
  }
}

export const node: Language<'node'> = {
  id: 'node',
  title: 'Node.js',
  runtime: {
    word: 'node',
    version: { sheet: '[1-9]\\d*', offered: '\\d+', shown: 'X' },
    aliases: ['nodejs', 'node.js', 'js', 'javascript', 'typescript', 'ts', 'ecmascript'],
    sample: 'node 20',
  },
  sheet: {
    forms: ['zip', 'image'],
    adapters: ['http'],
    entry: {
      hasMember: true,
      isPath: true,
      pattern: /(?<!\.d)\.[cm]?[jt]sx?$/,
      endings: '`.mjs`, `.cjs`, `.js`, or `.ts` and its kin',
      mend: 'name the file that the host loads',
      sample: 'alert.mjs#decide',
      hostKey: 'node',
      hostForm: '{path}#{member}',
      words: ({ file, member }) => {
        const module = file.replace(/\.[^./]+$/, '');
        return { path: file, file, module, class: module, member };
      },
    },
    needs: {
      files: /^(?:package-lock\.json|npm-shrinkwrap\.json|yarn\.lock|pnpm-lock\.yaml)$/,
      folders: /^node_modules$/,
      expected: '`package-lock.json`, `npm-shrinkwrap.json`, `yarn.lock` or `pnpm-lock.yaml`, or `node_modules`',
      isListed: false,
    },
    keys: ['link', 'minify', 'sourcemap', 'sources'],
    traced: ['strict'],
    broughtBy: 'node',
    texts: {
      runtime: '`node X`',
      entry: 'a file of the source and a member that it exports, `FILE#MEMBER`',
      needs:
        'for Node.js a `package-lock.json`, `npm-shrinkwrap.json`, `yarn.lock` or `pnpm-lock.yaml`, or `node_modules` to pack what is installed there',
      sources: 'for Node.js a registry of packages, or a folder of tarballs',
      adapter: 'for Node.js `http`, a request handler or an application that listens',
    },
    open: async () => (await import('./keys')).nodeKeys,
  },
  parts: async () => (await import('./parts')).nodeParts,
  suggestions: lighter,
  caches: Object.values(KEPT),
  skips: (isLocked) => (isLocked ? { folder: 'node_modules', by: 'installed' } : undefined),
  pages: {
    about: 'a folder with a package.json becomes a tarball of a registry of npm packages',
    open: async () => (await import('./registry/pages')).openPages(),
  },
  survey: async () => (await import('./survey')).nodeSurveyor,
  describing: async () => (await import('./view/describing')).nodeDescribing,
  weighing: async () => (await import('./view/weighing')).nodeWeighing,
  open: async () => (await import('./work')).nodeWork,
};
