/** Functions for .NET. */
import type { Language } from '../language';
import { lighter } from './suggestions';
import { KEPT } from './caches';
import type { DotnetKeys, LockedDotnet, LockedDotnetPackage } from './own';

declare module '../../sheet/model' {
  interface Languages {
    dotnet: {
      keys: DotnetKeys;
      lockedPackage: LockedDotnetPackage;
      locked: LockedDotnet;
      carriedPackage: never;
      carried: LockedDotnet;
    };
  }
}

export const dotnet: Language<'dotnet'> = {
  id: 'dotnet',
  title: '.NET',
  runtime: {
    word: 'dotnet',
    version: { sheet: '[1-9]\\d*', offered: '\\d+', shown: 'X' },
    aliases: ['net', '.net', 'csharp', 'c#', 'fsharp', 'f#', 'dotnetcore', 'dotnet-core', 'mono'],
    sample: 'dotnet 8',
  },
  sheet: {
    forms: ['zip', 'image'],
    adapters: [],
    entry: {
      hasMember: true,
      isPath: true,
      pattern: /^[\w.-]+\.(?:dll|exe)$/i,
      isMemberDotted: true,
      endings: '`.dll` and lies at the top of the source',
      mend: 'write it as `FILE.dll#Namespace.Type.Method`',
      sample: 'Dues.dll#Fernhaven.Dues.Export.Run',
      hostKey: 'dotnet',
      hostForm: '{path}#{class}.{member}',
      words: ({ file, member }) => {
        const dot = member.lastIndexOf('.');
        const [type, method] = [member.slice(0, Math.max(0, dot)), member.slice(dot + 1)];
        return { path: file, file, module: file.replace(/\.[^./]+$/, ''), class: type, member: method };
      },
    },
    needs: {
      files: /^packages\.lock\.json$|\.(?:cs|fs|vb)proj$/,
      expected: 'a project file (`*.csproj`) or `packages.lock.json`',
      isListed: true,
    },
    keys: ['languages', 'publish', 'sources'],
    broughtBy: 'dotnet',
    texts: {
      runtime: '`dotnet X`',
      entry: 'for .NET an assembly, and a method of a type, `Dues.dll#Fernhaven.Dues.Export.Run`',
      needs: 'for .NET `Name/1.2.0` each, a project file, or a `packages.lock.json`',
      sources:
        'for .NET feeds of packages (the address of the service index) or folders; `id` is their name in nuget.config',
      trim: 'for .NET whole assemblies',
    },
    open: async () => (await import('./keys')).dotnetKeys,
  },
  parts: async () => (await import('./parts')).dotnetParts,
  suggestions: lighter,
  caches: Object.values(KEPT),
  pages: {
    about:
      'one with a *.nuspec becomes a package of a feed, with all that lies in it; packages (*.nupkg) that lie there are served as they are',
    open: async () => (await import('./packages/pages')).openPages(),
  },
  survey: async () => (await import('./survey')).dotnetSurveyor,
  describing: async () => (await import('./view/describing')).dotnetDescribing,
  weighing: async () => (await import('./view/weighing')).dotnetWeighing,
  open: async () => (await import('./work')).dotnetWork,
};
