/** The packages in an artifact of which nothing is recorded, by what each of them says of itself. */
import { packageLicence, isLicenceText } from '../../findings/licences';
import type { PackageFact, Subject } from '../../findings/rule';
import { LANGUAGES, type Describing, type InstalledPackage } from '../../languages';

const MOST_PACKAGES = 5000;

/** The packages that an artifact shows by what their installers leave, of every language. */
export async function installedPackages({
  entries,
  readText,
}: Pick<Subject, 'entries' | 'readText'>): Promise<PackageFact[]> {
  const found: PackageFact[] = [];
  const files = entries.filter(({ kind }) => kind === 'file').map(({ path }) => path);
  const texts = files.filter((path) => isLicenceText(path));
  for (const { describing: open } of LANGUAGES) {
    const describing = await open?.();
    const { installed } = describing ?? {};
    if (describing === undefined || installed === undefined) continue;
    for (const path of files) {
      if (!installed.file.test(path) || found.length >= MOST_PACKAGES) continue;
      found.push(...factsOf({ path, files, texts, readText, describing, installed }));
    }
  }
  return found.slice(0, MOST_PACKAGES);
}

interface Looking extends Pick<Subject, 'readText'> {
  readonly path: string;
  readonly files: readonly string[];
  readonly texts: readonly string[];
  readonly describing: Describing;
  readonly installed: NonNullable<Describing['installed']>;
}

function factsOf(looking: Looking): PackageFact[] {
  const { path, readText, installed } = looking;
  const text = readText(path);
  return text === undefined ? [] : installed.read(path, text).map((one) => factOf(looking, one));
}

function factOf({ path, files, texts, readText, describing }: Looking, one: InstalledPackage): PackageFact {
  const isOwn = (file: string): boolean => one.folders.some((folder) => file.startsWith(folder));
  const own = texts.filter(isOwn);
  const about = files.filter((file) => isOwn(file) && (file === path || describing.metadata?.test(file) === true));
  const read = [...new Set([...about, ...own])].flatMap((file) => {
    const found = readText(file);
    return found === undefined ? [] : [{ path: file, text: found }];
  });
  const { name, version } = one;
  return {
    name,
    version,
    by: [],
    plainName: describing.plainName(name),
    ecosystem: describing.ecosystem,
    purl: describing.purl(one),
    standing: 'untraced',
    reached: [],
    packed: one.files ?? [path],
    hasText: own.length > 0,
    licence: packageLicence(describing.licence(read, undefined), read),
  };
}
