/** What a project file states: the packages that it asks for, and other projects ("Common MSBuild project items"). */
import { EmballageError, type Problem } from '../../../base/errors';
import { folderOf, joinPath, settlePath, upwards } from '../../../base/paths';
import { count, printable } from '../../../base/text';
import { child, children, childText, readXml, type XmlElement } from '../../../formats/xml';
import type { Wish } from './resolve';

export const PROJECT_FILE = /\.(?:cs|fs|vb)proj$/i;
/** Versions for all projects below a folder. */
export const CENTRAL = 'Directory.Packages.props';

export interface ProjectNeeds {
  readonly wishes: readonly Wish[];
  /** Packages that only compiling needs, in small letters. */
  readonly buildOnly: ReadonlySet<string>;
  /** Everything that was read. */
  readonly files: readonly string[];
  /** Name of the assembly that it makes. */
  readonly assembly: string;
}

export interface ProjectReading {
  /** Paths relative to the project of the sheet. */
  readonly read: (path: string) => string;
  readonly isThere: (path: string) => boolean;
  /** `net8.0`, which conditions may ask for. */
  readonly framework: string;
  readonly onNote?: (text: string) => void;
}

const MOST_PROJECTS = 256;

/** @throws EmballageError REQUIREMENTS_INVALID with every mistake */
export function readProjectFile(path: string, reading: ProjectReading): ProjectNeeds {
  const found: Found = { wishes: new Map(), buildOnly: new Set(), problems: [], files: [path] };
  for (let i = 0; i < found.files.length && found.files.length <= MOST_PROJECTS; i++)
    readOne(found.files[i] ?? '', reading, found);
  const { wishes, buildOnly, problems, files } = found;
  if (problems.length > 0)
    throw new EmballageError('REQUIREMENTS_INVALID', {
      doing: 'reading a project file',
      found: count(problems.length, 'mistake'),
      mend: 'mend what is listed',
      problems,
    });
  const named = propertyOf(parsed(reading, path), 'AssemblyName');
  const stem = path.slice(path.lastIndexOf('/') + 1).replace(PROJECT_FILE, '');
  return { wishes: [...wishes.values()], buildOnly, files, assembly: named ?? stem };
}

interface Found {
  readonly wishes: Map<string, Wish>;
  readonly buildOnly: Set<string>;
  readonly problems: Problem[];
  readonly files: string[];
}

function readOne(file: string, reading: ProjectReading, found: Found): void {
  const root = parsed(reading, file);
  const central = centralOf(reading, file);
  if (central !== undefined && !found.files.includes(central.file)) found.files.push(central.file);
  if (!PROJECT_FILE.test(file)) return;
  for (const item of itemsOf(root, 'PackageReference', reading)) takeReference(file, item, central?.versions, found);
  for (const item of itemsOf(root, 'ProjectReference', reading)) takeProject(file, item, reading, found);
}

function takeReference(
  file: string,
  item: XmlElement,
  central: ReadonlyMap<string, string> | undefined,
  { wishes, buildOnly, problems }: Found,
): void {
  const name = item.attributes.Include;
  if (name === undefined) return;
  const key = name.toLowerCase();
  const range = fact(item, 'VersionOverride') ?? fact(item, 'Version') ?? central?.get(key);
  const mistake = (what: string, there: string, mend: string): void => {
    problems.push(problem(file, item, `${what} of ${printable(name)}`, there, mend));
  };
  if (range === undefined) mistake('a version', 'none', 'write `Version="1.2.0"`');
  else if (range.includes('$(')) mistake('the version as a number', `\`${printable(range)}\``, 'write the number');
  else if (!wishes.has(key)) wishes.set(key, { name, range });
  if (isBuildOnly(item)) buildOnly.add(key);
}

function takeProject(file: string, item: XmlElement, reading: ProjectReading, { problems, files }: Found): void {
  const written = item.attributes.Include ?? '';
  const other = settlePath(joinPath(folderOf(file), written.replaceAll('\\', '/')));
  if (other === undefined || !reading.isThere(other))
    problems.push(problem(file, item, 'a project of this folder', `\`${printable(written)}\``, 'correct the path'));
  else if (!files.includes(other)) files.push(other);
}

/** Value of a property that stands there plainly; undefined for what is put together. */
export function propertyOf(root: XmlElement, name: string): string | undefined {
  for (const group of children(root, 'PropertyGroup')) {
    const text = childText(group, name);
    if (text !== undefined && !text.includes('$(')) return text;
  }
  return undefined;
}

function parsed({ read }: ProjectReading, path: string): XmlElement {
  const result = readXml(read(path));
  if (!('fault' in result)) return result.root;
  throw new EmballageError('REQUIREMENTS_INVALID', {
    doing: 'reading a project file',
    where: `${printable(path)}:${String(result.fault.line)}:${String(result.fault.column)}`,
    expected: 'XML',
    found: result.fault.what,
    mend: 'mend the file',
  });
}

function centralOf(
  reading: ProjectReading,
  file: string,
): { readonly file: string; readonly versions: ReadonlyMap<string, string> } | undefined {
  const path = upwards(folderOf(file))
    .map((folder) => joinPath(folder, CENTRAL))
    .find((one) => reading.isThere(one));
  if (path === undefined) return undefined;
  const items = itemsOf(parsed(reading, path), 'PackageVersion', reading);
  const versions = items.map(
    (item) => [(item.attributes.Include ?? '').toLowerCase(), fact(item, 'Version') ?? ''] as const,
  );
  return { file: path, versions: new Map(versions) };
}

function itemsOf(root: XmlElement, name: string, reading: ProjectReading): XmlElement[] {
  return children(root, 'ItemGroup')
    .filter((group) => counts(group, reading))
    .flatMap((group) => children(group, name).filter((item) => counts(item, reading)));
}

/** Conditions on the framework are held against the target; others count as true, and are told. */
function counts({ attributes, line }: XmlElement, { framework, onNote }: ProjectReading): boolean {
  const { Condition: condition } = attributes;
  if (condition === undefined) return true;
  const [, sign, value] = /^\s*'\$\(TargetFramework\)'\s*(==|!=)\s*'([^']*)'\s*$/.exec(condition) ?? [];
  if (sign !== undefined && value !== undefined) return (value.toLowerCase() === framework) === (sign === '==');
  onNote?.(`the condition \`${printable(condition)}\` (line ${String(line)}) is taken to hold`);
  return true;
}

function fact(item: XmlElement, name: string): string | undefined {
  return item.attributes[name] ?? childText(item, name);
}

function isBuildOnly(item: XmlElement): boolean {
  const words = (text: string): string[] =>
    text
      .toLowerCase()
      .split(/[;,]/)
      .map((one) => one.trim());
  const include = fact(item, 'IncludeAssets');
  const exclude = words(fact(item, 'ExcludeAssets') ?? '');
  if (exclude.includes('all') || exclude.includes('runtime')) return true;
  return include !== undefined && !words(include).some((one) => one === 'all' || one === 'runtime');
}

function problem(file: string, { line, column }: XmlElement, expected: string, found: string, mend: string): Problem {
  return { place: { file, line, column: Math.max(1, column) }, expected, found, mend };
}

/** The frameworks that a project names. */
export function frameworksOf(text: string): string[] {
  const read = readXml(text);
  if ('fault' in read) return [];
  const one = propertyOf(read.root, 'TargetFramework');
  const several = propertyOf(read.root, 'TargetFrameworks');
  return (one ?? several ?? '').split(';').filter((word) => word.trim() !== '');
}

/** Whether a document is a project of the SDK. */
export function isSdkProject(text: string): boolean {
  const read = readXml(text);
  return 'root' in read && (read.root.attributes.Sdk !== undefined || child(read.root, 'Sdk') !== undefined);
}
