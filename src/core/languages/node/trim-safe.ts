/** What can be taken out of any package without changing how it behaves. Each rule has a name that the waybill gives. */
import { baseOf } from '../../base/paths';

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
  readonly cpu: 'x64' | 'arm64';
}

const SETTINGS =
  /^(?:\.(?:eslint|prettier|babel|mocha|nyc|lint-staged|commitlint|stylelint|swc|dir-locals|jshint|jscs)rc?\S*|\.(?:editorconfig|npmignore|gitignore|gitattributes|travis\.yml|eslintignore|prettierignore|yarnrc\S*|nvmrc|node-version|DS_Store|coveralls\.yml|tern-project|zuul\.yml)|tsconfig\S*\.json|tsdoc\S*\.json|appveyor\.yml|karma\.conf\.js|Gruntfile\.js|Makefile|\S+\.tsbuildinfo)$/;
const TEST_FILE = /(?:^|\/)(?:__tests__|__mocks__|tests?)\/|\.(?:test|spec)\.[cm]?[jt]sx?$/;
const DOC_FILE =
  /\.(?:md|markdown|mkd)$|^(?:readme|changelog|changes|history|contributing|security|upgrading)(?:\.(?:txt|rst|html))?$/i;
const COMPILED_SOURCE = /\.(?:c|cc|cpp|cxx|h|hh|hpp|o|a|gyp|gypi|mk)$|(?:^|\/)obj\.target\//;

/** The rule that lets a file go; undefined where it stays. */
export function safeRuleFor({ path, mentions, hasAddon, cpu }: SafeSubject): SafeRule | undefined {
  const name = baseOf(path);
  if (path === 'package.json' || /^(?:licen[cs]e|copying|notice|authors)/i.test(name)) return undefined;
  const rules: readonly (readonly [rule: SafeRule, applies: boolean])[] = [
    ['other-platforms', /\.(?:dll|dylib|exe|lib|pdb)$/i.test(name) || isForOther(path, cpu)],
    ['stubs', !mentions.stubs && /\.d\.[cm]?ts$|\.js\.flow$/.test(name)],
    ['maps', /\.(?:[cm]?js|css|d\.[cm]?ts)\.map$/.test(name)],
    ['tests', !mentions.tests && TEST_FILE.test(path)],
    ['tool-settings', SETTINGS.test(name) || /(?:^|\/)\.(?:github|circleci|vscode|idea|husky)\//.test(path)],
    ['compiled-sources', hasAddon && COMPILED_SOURCE.test(path)],
    ['docs', !mentions.docs && DOC_FILE.test(name)],
  ];
  return rules.find(([, applies]) => applies)?.[0];
}

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

/** Addons that lie ready for several platforms, in folders that are named for them. */
function isForOther(path: string, cpu: 'x64' | 'arm64'): boolean {
  const [, os, arch] = /(?:^|\/)prebuilds\/([a-z0-9]+)-([a-z0-9+_]+)\//.exec(path) ?? [];
  if (os === undefined || arch === undefined) return false;
  return !os.startsWith('linux') || !arch.split('+').includes(cpu);
}
