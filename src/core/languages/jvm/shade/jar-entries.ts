/** What the entries of a JAR are for, by their paths. */

export type EntryKind =
  /** Says something of its JAR alone: manifest, signatures, index, module descriptor. */
  'dropped' | 'class' | 'service' | 'licence' | 'resource';

const LICENCE =
  /^(?:META-INF\/)?(?:[\w.-]*[/-])?(?:LICEN[CS]E|NOTICE|COPYING|COPYRIGHT|A(?:PL|L)[-\d.]+|L?GPL[-\d.]+)(?:[.-][\w.-]*)?$/i;

/** What an entry of a JAR is to merging: a class, a service file, a signature, a resource. */
export function kindOf(path: string): EntryKind {
  const plain = withoutRelease(path).path;
  if (plain === 'module-info.class' || plain.endsWith('/module-info.class')) return 'dropped';
  if (path.startsWith('META-INF/')) {
    const name = path.slice('META-INF/'.length);
    if (name === 'MANIFEST.MF' || name === 'INDEX.LIST') return 'dropped';
    if (!name.includes('/') && /\.(?:SF|DSA|RSA|EC)$|^SIG-/i.test(name)) return 'dropped';
    if (/^services\/[^/]+$/.test(name)) return 'service';
  }
  if (LICENCE.test(path) && !path.endsWith('.class')) return 'licence';
  return plain.endsWith('.class') ? 'class' : 'resource';
}

/** `META-INF/versions/11/a/B.class` is `a/B.class` for Java 11 and later (JAR specification, multi-release JARs). */
export function withoutRelease(path: string): { readonly path: string; readonly release: number } {
  const [, release, rest] = /^META-INF\/versions\/(\d+)\/(.+)$/.exec(path) ?? [];
  return release === undefined || rest === undefined ? { path, release: 0 } : { path: rest, release: Number(release) };
}

/** Files that no running program reads: those of build tools. */
export function isSafeToDrop(path: string): boolean {
  return /^META-INF\/(?:maven\/|.*\.pro$|DEPENDENCIES$|jandex\.idx$)/.test(path);
}

/** Native libraries inside JARs lie in folders named after systems and processors, in many spellings. */
export function nativePlatform(path: string): { readonly system: string; readonly cpu: string } | undefined {
  if (!/\.(?:so|dll|dylib|jnilib|a)(?:\.[\d.]+)?$/.test(path)) return undefined;
  const lower = path.toLowerCase();
  const system = /\.dll$|windows|win32|win64|\bwin\b/.test(lower)
    ? 'windows'
    : /\.dylib$|\.jnilib$|darwin|macos|osx|\bmac\b/.test(lower)
      ? 'macos'
      : lower.includes('musl')
        ? 'linux-musl'
        : lower.includes('android')
          ? 'android'
          : /freebsd|openbsd|netbsd|dragonfly/.test(lower)
            ? 'bsd'
            : /sunos|solaris/.test(lower)
              ? 'solaris'
              : lower.includes('aix')
                ? 'aix'
                : lower.includes('linux')
                  ? 'linux'
                  : '';
  const cpu = /aarch_?64|arm64/.test(lower)
    ? 'arm64'
    : /x86[_-]64|amd64|x64/.test(lower)
      ? 'x86_64'
      : /ppc64|powerpc|s390|riscv|loongarch|sparc|mips|armv\d|armhf|arm32|\barm\b|i[3-6]86|\bx86\b|x86_32|itanium|ia64/.test(
            lower,
          )
        ? 'other'
        : '';
  return { system, cpu };
}
