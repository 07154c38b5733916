import { baseOf, folderOf, joinPath, settlePath } from '../../base/paths';
import { printable } from '../../base/text';
import type { ElfFile } from '../../formats/elf';
import { offeredRuntime } from '../../sheet';
import { hasLibrary, isSeenWhole } from '../../findings/image';
import { entryProgram, isProgramItself, nativeFiles, type NativeFile } from '../../findings/native-files';
import { findings, type Finding, type Rule, type RuleContext, type Subject } from '../../findings/rule';

/** What comes with a C library: glibc with its older parts, the loaders, musl. */
const OF_THE_C_LIBRARY =
  /^(?:lib(?:c|m|dl|pthread|rt|util|resolv|anl|mvec|BrokenLocale|nsl|nss_\w+|thread_db)\.so\.\d+|ld-linux[\w.-]*\.so\.\d+|ld-musl-\w+\.so\.1|libc\.musl-\w+\.so\.1|libc\.so)$/;
/** What interpreters are linked with themselves, and the policies of wheels let packages count on. */
const OF_INTERPRETERS = /^(?:libgcc_s\.so\.1|libstdc\+\+\.so\.6|libz\.so\.1)$/;

export const runtimeLibrary: Rule = {
  id: 'runtime/library',
  level: 'stop',
  title: 'Every shared library that is needed is there, where the loader looks for it',
  why: 'The loader looks in the system’s folders and in those that a file names, and nowhere else: a library that lies in the artifact is not found for that.',
  mend: 'Link the library in, pack it on a path that the file names (`-Wl,-rpath,$ORIGIN/lib`), or name it under `provides` in the destination.',
  needs: ['runtime'],
  check(context) {
    const { subject, facts, destination } = context;
    const provides = offeredRuntime(destination, facts.runtime)?.provides ?? [];
    const isGiven = (name: string): boolean =>
      subject.image !== undefined
        ? hasLibrary(subject.image, name)
        : OF_THE_C_LIBRARY.test(name) ||
          provides.includes(name) ||
          (!isProgramItself(subject) && (OF_INTERPRETERS.test(name) || subject.view?.hasLoaded?.(name) === true));
    const found: Finding[] = [];
    for (const file of loadedFiles(context))
      for (const name of file.elf.needed) {
        const finding = isGiven(name) ? undefined : missing(context, file, name);
        if (finding !== undefined) found.push(finding);
      }
    return findings(...found.slice(0, MAX_FINDINGS(subject.entries.length)));
  },
};

/** Each file asks for a few; a long list says no more than a short one. */
const MAX_FINDINGS = (entries: number): number => Math.min(entries * 4, 200);

/** What is loaded for an executable; elsewhere everything may be. */
function loadedFiles({ subject, facts }: RuleContext): readonly NativeFile[] {
  const linked = nativeFiles(subject).filter(({ elf }) => elf.needed.length > 0);
  // Code in it unpacks what it needs of libraries for several systems.
  if (subject.form.isForSeveral === true) return [];
  const program = isProgramItself(subject) ? entryProgram(subject, facts) : undefined;
  return program === undefined ? linked : [program, ...linked.filter((file) => file !== program)];
}

function missing({ subject, facts }: RuleContext, file: NativeFile, name: string): Finding | undefined {
  const program = entryProgram(subject, facts);
  const places = new Set([...searched(file), ...(program === undefined ? [] : searchedFor(program))]);
  const others = nativeFiles(subject).filter(({ path, elf }) => baseOf(path) === name || elf.soname === name);
  const isFound = others.some(({ path }) => baseOf(path) === name && places.has(folderOf(path)));
  // What an interpreter has loaded before, by way of another file, is found by its name.
  if (isFound || (others.length > 0 && !isProgramItself(subject))) return undefined;
  const [other] = others;
  return {
    level: isProgramItself(subject) || (subject.image !== undefined && !isSeenWhole(subject)) ? 'stop' : 'warn',
    where: printable(file.path),
    expected: `\`${printable(name)}\`, ${subject.image === undefined ? 'with the runtime or in the artifact' : 'in the image, where the loader looks'}`,
    found:
      other === undefined
        ? subject.image === undefined
          ? 'neither'
          : 'none'
        : `\`${printable(other.path)}\`, where the loader does not look`,
    mend:
      other === undefined
        ? mendFor(subject)
        : `link with \`-Wl,-rpath,$ORIGIN${relativeFolder(file.path, other.path)}\``,
  };
}

function mendFor({ image }: Subject): string {
  return image === undefined
    ? 'link it in, pack it, or name it under `provides` in the destination'
    : 'take a base that has it, or pack it beside the file that needs it';
}

/** Folders of the artifact in which the loader looks for what a file needs. */
function searched({ path, elf }: NativeFile): string[] {
  return foldersOf(path, elf.runpath.length > 0 ? elf.runpath : elf.rpath);
}

/** Those that a program names for all that is loaded for it; the newer kind holds for its own needs only. */
function searchedFor({ path, elf }: { readonly path: string; readonly elf: ElfFile }): string[] {
  return elf.runpath.length > 0 ? [] : foldersOf(path, elf.rpath);
}

function foldersOf(path: string, folders: readonly string[]): string[] {
  return folders.flatMap((folder) => {
    const [, rest] = /^\$(?:ORIGIN|\{ORIGIN\})(?:\/(.*))?$/.exec(folder) ?? [];
    if (!folder.startsWith('$')) return [];
    return settlePath(joinPath(folderOf(path), rest ?? '.')) ?? [];
  });
}

function relativeFolder(from: string, to: string): string {
  const [own, other] = [folderOf(from), folderOf(to)];
  if (own === '') return other === '' ? '' : `/${other}`;
  return `/${own
    .split('/')
    .map(() => '..')
    .join('/')}/${other}`;
}
