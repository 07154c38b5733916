/** What the .NET runtime sees in an artifact, as rules ask for it. */
import { besideAssembly } from '../published/beside';
import { EmballageError } from '../../../base/errors';
import type { SettingRead } from '../../../fileset/model';
import { nativeReadings } from '../../../findings/native-files';
import type { FunctionFacts } from '../../../findings/rule';
import { symbolsId, type Assembly, type ForeignCall } from '../../../formats/assembly';
import type { ViewRequest } from '../../language';
import { MOST_ASSEMBLY_BYTES, readAssemblies } from '../published/assemblies';
import { contentsOf, type Contents } from '../published/contents';
import { MOST_DEPS_BYTES, readDepsFile, type DepsFile } from '../published/deps-file';
import { readRuntimeConfig, type RuntimeConfig } from '../published/runtime-config';
import { clashesInDotnet } from '../rules/clashes';
import { judgeMember, judgeParameters, judgePlace } from '../rules/entry-method';
import { frameworkNames } from '../rules/framework';
import { missingInDotnet } from '../rules/missing';
import { ownAssemblies, type DotnetLanguageView, type PublishedView } from '../rules/shared';
import { testOnlyInDotnet } from '../rules/test-only';
import { unusedInDotnet } from '../rules/unused';
import { running } from '../run/running';

/** What rules may ask of a .NET artifact. */
export async function dotnetView(request: ViewRequest<'dotnet'>): Promise<DotnetLanguageView> {
  const { facts, destination, runtime, machine } = request;
  const published = look(request);
  const framework = await frameworkNames(machine, runtime?.version ?? '', published?.config);
  return {
    isProgram: false,
    published,
    ...(published !== undefined && {
      entryPlace: (entry) => judgePlace(published, entry),
      entryMember: (entry) => judgeMember(published, entry),
      parameters: (entry) => judgeParameters(published, entry),
      missing: () => missingInDotnet(published, facts, framework, destination),
      unused: (waybill) => unusedInDotnet(published, facts, waybill),
      testOnly: () => testOnlyInDotnet(published, facts),
      settings: () => settingsRead(published, facts),
      texts: () => [...ownAssemblies(published, facts).values()].map((one) => one.texts().join('\n')),
    }),
    clashes: () => clashesInDotnet(published, facts),
    // What runs the function brings these, and has them loaded.
    hasLoaded: (library) => /^lib(?:coreclr|hostpolicy|hostfxr|System\.[\w.]+)\.so$/.test(library),
    runtimeIn: (image, env) => running.image.find(image, env, runtime?.version ?? ''),
    overlap: () => ({ level: 'stop', mend: 'state one version for both under `needs`, or leave one of the two out' }),
  };
}

/** Undefined where the entry is not known. */
function look({ subject, facts: { entry } }: ViewRequest<'dotnet'>): PublishedView | undefined {
  if (entry === undefined) return undefined;
  const { paths, readBytes, faults: damagedPrograms } = contentsOf(subject, entry);
  const faults: { path: string; what: string }[] = [...damagedPrograms];
  const beside = besideAssembly(entry.file);
  const textOf = (path: string): string | undefined => {
    const bytes = paths.has(path) ? readBytes(path, MOST_DEPS_BYTES) : undefined;
    return bytes === undefined ? undefined : Buffer.from(bytes).toString('utf8');
  };
  const deps = depsOf(textOf, beside.deps, faults);
  const config = configOf(textOf, beside.config, faults);
  // What is damaged as every file of its kind is told for all of them.
  const damaged = new Set(nativeReadings(subject).flatMap(({ path, reading }) => ('fault' in reading ? [path] : [])));
  const isTold = (path: string): boolean => damaged.has(path);
  const assemblies = readAssemblies(paths, (path) => readBytes(path, MOST_ASSEMBLY_BYTES));
  return {
    assemblies,
    entry: entry.file,
    paths,
    otherSymbols: otherSymbols(paths, assemblies, readBytes),
    ...(deps !== undefined && { deps }),
    ...(config !== undefined && { config }),
    faults: [...faults, ...assemblies.faults.filter(({ path }) => path !== entry.file && !isTold(path))],
  };
}

/** Debug symbols that are of another build than the assembly beside them. */
function otherSymbols(
  paths: ReadonlySet<string>,
  { all }: PublishedView['assemblies'],
  readBytes: Contents['readBytes'],
): string[] {
  return [...paths].filter((path) => {
    const own = /\.pdb$/i.test(path) ? all.get(path.replace(/\.pdb$/i, '.dll'))?.symbols : undefined;
    const bytes = own === undefined ? undefined : readBytes(path, MOST_ASSEMBLY_BYTES);
    const theirs = bytes === undefined ? undefined : idOf(bytes);
    return theirs !== undefined && theirs !== own;
  });
}

function idOf(bytes: Uint8Array): string | undefined {
  try {
    return symbolsId(bytes);
  } catch (error) {
    if (error instanceof RangeError) return undefined;
    throw error;
  }
}

type TextOf = (path: string) => string | undefined;

function depsOf(textOf: TextOf, path: string, faults: { path: string; what: string }[]): DepsFile | undefined {
  const text = textOf(path);
  try {
    return text === undefined ? undefined : readDepsFile(text, path);
  } catch (error) {
    if (!(error instanceof EmballageError)) throw error;
    faults.push({ path, what: `${error.facts.found} where ${error.facts.expected ?? 'something else'} is read` });
    return undefined;
  }
}

function configOf(textOf: TextOf, path: string, faults: { path: string; what: string }[]): RuntimeConfig | undefined {
  const text = textOf(path);
  const read = text === undefined ? undefined : readRuntimeConfig(text);
  if (typeof read !== 'string') return read;
  faults.push({ path, what: read });
  return undefined;
}

function settingsRead(view: PublishedView, facts: FunctionFacts): SettingRead[] {
  const found = new Map<string, SettingRead>();
  for (const [file, assembly] of ownAssemblies(view, facts)) {
    for (const { type, member, text, hasDefault } of callsOf(assembly)) {
      if (type !== 'System.Environment' || member !== 'GetEnvironmentVariable' || text === undefined) continue;
      const key = `${file}\0${text}`;
      const known = found.get(key);
      found.set(key, { name: text, file, line: 0, hasDefault: hasDefault && known?.hasDefault !== false });
    }
  }
  return [...found.values()];
}

/** Code that cannot be followed says nothing; that it is damaged is told elsewhere. */
function callsOf(assembly: Assembly): readonly ForeignCall[] {
  try {
    return assembly.calls();
  } catch (error) {
    if (error instanceof RangeError) return [];
    throw error;
  }
}
