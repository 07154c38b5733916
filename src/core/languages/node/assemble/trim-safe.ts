/** What can be taken out of any package without changing how it behaves. Each rule has a name that the waybill gives. */
import { ownOf } from '../../../base/own';
import { baseOf } from '../../../base/paths';

export type SafeRule = 'tests' | 'stubs' | 'maps' | 'docs' | 'tool-settings' | 'compiled-sources' | 'other-platforms';

/** What the code of a package says of its own files: those it speaks of stay. */
export interface Mentions {
  readonly tests: boolean;
  readonly stubs: boolean;
  readonly docs: boolean;
}

export interface SafeSubject {
  /** Path in the package. */
  readonly path: string;
  readonly mentions: Mentions;
  /** Whether the package has a compiled addon. */
  readonly hasAddon: boolean;
  readonly platform: NodePlatform;
}

export interface NodePlatform {
  readonly cpu: 'x64' | 'arm64';
  readonly libc: 'glibc' | 'musl';
}

const SETTINGS =
  /^(?:\.(?:eslint|prettier|babel|mocha|nyc|lint-staged|commitlint|stylelint|swc|dir-locals|jshint|jscs)rc?\S*|\.(?:editorconfig|npmignore|gitignore|gitattributes|travis\.yml|eslintignore|prettierignore|yarnrc\S*|nvmrc|node-version|DS_Store|coveralls\.yml|tern-project|zuul\.yml)|tsconfig\S*\.json|tsdoc\S*\.json|appveyor\.yml|karma\.conf\.js|Gruntfile\.js|Makefile|\S+\.tsbuildinfo)$/;
const TEST_FILE = /(?:^|\/)(?:__tests__|__mocks__|tests?)\/|\.(?:test|spec)\.[cm]?[jt]sx?$/;
const DOC_FILE =
  /\.(?:md|markdown|mkd)$|^(?:readme|changelog|changes|history|contributing|security|upgrading)(?:\.(?:txt|rst|html))?$/i;
const COMPILED_SOURCE = /\.(?:c|cc|cpp|cxx|h|hh|hpp|o|a|gyp|gypi|mk)$|(?:^|\/)obj\.target\//;

/** The rule that lets a file go; undefined where it stays. */
export function safeRuleFor({ path, mentions, hasAddon, platform }: SafeSubject): SafeRule | undefined {
  const name = baseOf(path);
  if (path === 'package.json' || /^(?:licen[cs]e|copying|notice|authors)/i.test(name)) return undefined;
  const rules: readonly (readonly [rule: SafeRule, applies: boolean])[] = [
    ['other-platforms', /\.(?:dll|dylib|exe|lib|pdb)$/i.test(name) || isForOther(path, platform)],
    ['stubs', !mentions.stubs && /\.d\.[cm]?ts$|\.js\.flow$/.test(name)],
    ['maps', /\.(?:[cm]?js|css|d\.[cm]?ts)\.map$/.test(name)],
    ['tests', !mentions.tests && TEST_FILE.test(path)],
    ['tool-settings', SETTINGS.test(name) || /(?:^|\/)\.(?:github|circleci|vscode|idea|husky)\//.test(path)],
    ['compiled-sources', hasAddon && COMPILED_SOURCE.test(path)],
    ['docs', !mentions.docs && DOC_FILE.test(name)],
  ];
  return rules.find(([, applies]) => applies)?.[0];
}

/** Whether a path in a package is of its tests, by its name. */
export function isTestFile(path: string): boolean {
  return TEST_FILE.test(path);
}

/** What one text of a package says. */
export function mentionsIn(code: string): Mentions {
  return {
    tests:
      /['"`][^'"`\n]*(?:^|[./])(?:__tests__|__mocks__|tests?)(?:\/|['"`])/.test(code) ||
      /\.(?:test|spec)['"`]/.test(code),
    stubs: code.includes('.d.ts'),
    docs: /\.md['"`]|readme/i.test(code),
  };
}

const SYSTEMS = /^(?:linux(?:musl)?|darwin|macos|osx|win32|windows|android|freebsd|openbsd|netbsd|sunos|aix)$/;
const CPUS: Readonly<Record<string, 'x64' | 'arm64' | 'other'>> = {
  x64: 'x64',
  x86_64: 'x64',
  amd64: 'x64',
  arm64: 'arm64',
  aarch64: 'arm64',
  armv8: 'arm64',
  ia32: 'other',
  x86: 'other',
  arm: 'other',
  armv6: 'other',
  armv7: 'other',
  armv7l: 'other',
  armhf: 'other',
  ppc64: 'other',
  ppc64le: 'other',
  s390x: 'other',
  riscv64: 'other',
  loong64: 'other',
  mips64el: 'other',
};
const LIBCS: Readonly<Record<string, 'glibc' | 'musl'>> = {
  musl: 'musl',
  musleabihf: 'musl',
  linuxmusl: 'musl',
  alpine: 'musl',
  glibc: 'glibc',
  gnu: 'glibc',
  gnueabihf: 'glibc',
};

/** Addons that lie ready for several platforms, in folders or under names that say for which. */
function isForOther(path: string, { cpu, libc }: NodePlatform): boolean {
  const isReady = /(?:^|\/)prebuilds\//.test(path) || /\.(?:node|so(?:\.[\d.]+)?|dylib|a)$/.test(path);
  const words = isReady ? path.toLowerCase().split(/[/.+-]+/) : [];
  const system = words.find((word) => SYSTEMS.test(word));
  if (system === undefined) return false;
  if (!system.startsWith('linux')) return true;
  const cpus = words.flatMap((word) => ownOf(CPUS, word) ?? []);
  if (cpus.length > 0 && !cpus.includes(cpu)) return true;
  const kinds = words.flatMap((word) => ownOf(LIBCS, word) ?? []);
  return kinds.length > 0 && !kinds.includes(libc);
}
