/** Words that people of the trade have for what has another name here: they lead to ours. */
import { nearestWord } from '../../base/text';
import type { Known } from '../runtimes';

/** By our word; in small letters, without dashes and low lines. */
const KEYS: Readonly<Record<string, readonly string[]>> = {
  source: ['code', 'codepath', 'dir', 'directory', 'folder', 'path', 'src', 'root', 'context'],
  runtime: ['language', 'lang', 'engine', 'platform', 'image runtime'],
  entry: ['handler', 'entrypoint', 'main', 'function', 'method', 'member', 'start', 'module', 'class'],
  artifact: ['package', 'packagetype', 'packaging', 'form', 'format', 'kind', 'type', 'output', 'target'],
  arch: ['architecture', 'architectures', 'archs', 'cpu', 'processor', 'processors', 'platforms', 'machine'],
  needs: ['requirements', 'dependencies', 'deps', 'requires', 'packages', 'libraries', 'modules'],
  sources: ['registry', 'registries', 'index', 'indexes', 'repository', 'repositories', 'mirrors', 'feeds'],
  settings: ['env', 'environment', 'environmentvariables', 'envvars', 'variables', 'config', 'configuration', 'vars'],
  memory: ['memorysize', 'ram', 'memorymb', 'memorylimit', 'mem'],
  timeout: ['timelimit', 'maxduration', 'duration', 'timeoutseconds', 'deadline'],
  'leave-out': ['exclude', 'excludes', 'excluded', 'ignore', 'ignored', 'omit', 'skip'],
  include: ['includes', 'copy', 'extra', 'extrafiles', 'additionalfiles', 'shared'],
  keep: ['assets', 'always', 'files', 'patterns'],
  limits: ['quota', 'quotas', 'maxsize', 'sizelimit'],
  events: ['event', 'tests', 'samples', 'payload', 'payloads', 'examples'],
  accept: ['suppress', 'suppressions', 'waive', 'waivers', 'allow', 'exceptions', 'ignorerules'],
  adapter: ['framework', 'interface', 'wrapper', 'webframework', 'server'],
  trim: ['treeshake', 'treeshaking', 'slim', 'prune', 'strip'],
  link: ['bundle', 'bundled', 'singlefile', 'join'],
  minify: ['compress', 'uglify', 'mangle'],
  relocate: ['relocations', 'shade', 'shading', 'rename'],
  labels: ['annotations', 'tags'],
  accepts: ['limits', 'forms', 'formats', 'artifacts', 'quotas'],
  runtimes: ['languages', 'runtime', 'engines'],
  glibc: ['libc', 'clibrary', 'gnulibc'],
  destinations: ['targets', 'environments', 'providers', 'hosts', 'stages', 'destination'],
  functions: ['services', 'handlers', 'units', 'components', 'function'],
  defaults: ['common', 'global', 'globals', 'shared', 'default'],
  project: ['name', 'service', 'app', 'application', 'title'],
};

/** By our word for a value. */
const VALUES: Readonly<Record<string, readonly string[]>> = {
  x86_64: ['amd64', 'x64', 'x8664', 'intel', 'x86', 'i64'],
  arm64: ['aarch64', 'arm', 'armv8', 'arm64v8', 'aarch'],
  zip: ['archive', 'ziparchive'],
  jar: ['uberjar', 'fatjar', 'war'],
  binary: ['executable', 'exe', 'elf', 'bin', 'native'],
  image: ['container', 'containerimage', 'oci'],
  off: ['none', 'false', 'no'],
};

/** The known word that was probably meant: by what the trade calls it, or else a slip of the pen. */
export function meantWord(written: string, known: readonly string[], part: 'key' | 'value'): string | undefined {
  const words = part === 'key' ? { ...VALUES, ...KEYS } : VALUES;
  const plain = written.toLowerCase().replace(/[_\s-]/g, '');
  const synonyms = known.flatMap((word) => (words[word] ?? []).map((other) => [other, word] as const));
  const exact = synonyms.find(([other]) => other === plain)?.[1];
  if (exact !== undefined) return exact;
  const near = nearestWord(written, known);
  if (near !== undefined) return near;
  // Short words are near to too many.
  const slip =
    plain.length < 5
      ? undefined
      : nearestWord(
          plain,
          synonyms.map(([other]) => other),
        );
  return synonyms.find(([other]) => other === slip)?.[1];
}

/** A runtime as people write it elsewhere, in our words: with its own spelling and a `.x` behind its version. */
export function meantRuntime(written: string, { all }: Pick<Known, 'all'>): string | undefined {
  const [, name = '', version = ''] = /^\s*([a-z+#.]*[a-z+#])[\s@:_-]*v?(\d[\w.]*)?\s*$/i.exec(written) ?? [];
  const plain = name.toLowerCase();
  const found = all.find(
    ({ runtime }) =>
      runtime.isOfferedOnly !== true && (runtime.word === plain || runtime.aliases?.includes(plain) === true),
  )?.runtime;
  if (found === undefined) return undefined;
  if (found.version === undefined) return found.word;
  const parts = version.split('.');
  const fits = new RegExp(`^${found.version.sheet}$`);
  const right = [parts.slice(0, 2).join('.'), parts[0] ?? ''].find((one) => fits.test(one));
  return right === undefined ? found.sample : `${found.word} ${right}`;
}
