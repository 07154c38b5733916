/** How reasons read: chains from the entry on, who asked for a package, and what trimming left out. */
import { count, listed, printable } from '../../core/base/text';
import { formatSize } from '../../core/base/units';
import {
  MOST_CHAINS,
  type ChainLink,
  type Explained,
  type ExplainedPackage,
  type LeftOutGroup,
} from '../../core/pipeline/explain';
import type { Paint } from './paint';

interface WhyTextOptions {
  readonly paint: Paint;
  readonly verbose: boolean;
}

const SHOWN_LEFT_OUT = 5;

/** The chain from the entry to a file, a line each. */
export function explainedText(
  { path, size, inside, chain, chains = [chain] }: Explained,
  { paint }: WhyTextOptions,
): string {
  const where = inside === undefined ? '' : paint.dim(`  inside ${printable(inside)}`);
  const origin = chain.at(-1)?.origin;
  const from = origin === undefined ? '' : `  ${paint.dim(originText(origin))}`;
  const head = `${paint.bold(printable(path))}  ${formatSize(size)}${from}${where}`;
  const shown = chains.slice(0, MOST_CHAINS).map((one) => chainText(one, paint));
  const more = chains.length - shown.length;
  return [head, shown.join('\n\n'), ...(more > 0 ? [paint.dim(`  … and ${count(more, 'more way')}`)] : [])].join('\n');
}

function chainText(chain: readonly ChainLink[], paint: Paint): string {
  return chain
    .map((link, i) => {
      const name = link.kind === 'package' ? paint.bold(printable(link.path)) : paint.name(printable(link.path));
      return `${'  '.repeat(i + 1)}${i === 0 ? '' : '└ '}${name}  ${paint.dim(linkText(link, chain[i - 1]))}`;
    })
    .join('\n');
}

export interface AskedPackage extends ExplainedPackage {
  readonly asked: readonly { readonly by: string; readonly as: string }[];
}

/** A package with who asks for it and the chain that leads there. */
export function packageText(
  { name, version, size, files, by, asked, chain }: AskedPackage,
  { paint }: WhyTextOptions,
): string {
  const there = files === 0 ? 'none of its files is there' : `${count(files, 'file')}, ${formatSize(size)}`;
  const known = new Map(asked.map((one) => [one.by, one.as]));
  const askers = [...new Set([...known.keys(), ...by])].map((one) => {
    const as = known.get(one);
    return `  asked for by ${paint.name(printable(one))}${as === undefined ? '' : ` as ${paint.bold(printable(as))}`}`;
  });
  return [
    `${paint.bold(printable(`${name} ${version}`))}  a package; ${there}`,
    ...askers,
    ...(chain.length > 0 ? [chainText(chain, paint)] : []),
  ].join('\n');
}

/** Rules of trimming, in words. */
const TRIMMED_BY: Readonly<Record<string, string>> = {
  'not-reached': 'nothing that stays asks for it',
  tests: 'tests',
  docs: 'documentation',
  maps: 'maps from what is packed to its source',
  'tool-settings': 'settings of tools that build and test',
  stubs: 'types, which are not read when it runs',
  caches: 'caches',
  'compiled-sources': 'source of what is compiled',
  'other-platforms': 'for another processor or system',
  'debug-sections': 'debugging sections of files that are there',
  'members-not-reached': 'members of classes that are there',
};

/** What was left out that a pattern matches: by which rule, and what would keep it. */
export function leftOutText(groups: readonly LeftOutGroup[], { paint, verbose }: WhyTextOptions): string {
  return groups
    .map(({ package: owner, by, size, files, keep }) => {
      const shown = verbose ? files : files.slice(0, SHOWN_LEFT_OUT);
      const more = files.length - shown.length;
      return [
        `${paint.bold(`left out of ${printable(owner)}`)}  ${count(files.length, 'file')}, ${formatSize(size)}  ${paint.dim(TRIMMED_BY[by] ?? by)}`,
        ...shown.map((file) => `  ${paint.name(printable(file.path))}  ${formatSize(file.size)}`),
        ...(more > 0 ? [paint.dim(`  … and ${String(more)} more (--verbose)`)] : []),
        ...(keep.length > 0
          ? [
              `  to keep ${files.length > 1 ? 'them' : 'it'}  keep: [${keep.map((one) => JSON.stringify(printable(one))).join(', ')}]`,
            ]
          : []),
      ].join('\n');
    })
    .join('\n\n');
}

function originText(origin: NonNullable<ChainLink['origin']>): string {
  switch (origin.from) {
    case 'source':
      return `from ${printable(origin.at)}`;
    case 'package':
      return `from ${printable(origin.name)} ${printable(origin.version)}`;
    case 'unlocked':
      return `from ${printable(origin.name)}, as it was installed`;
    case 'generated':
      return `made by ${printable(origin.by)}`;
  }
}

function linkText(link: ChainLink, before: ChainLink | undefined): string {
  const line = link.line === undefined ? '' : ` in line ${String(link.line)}`;
  if (link.kind === 'package') {
    if (before === undefined) return 'a package that is asked for';
    return before.kind === 'package' ? `asked for by ${printable(before.path)}` : 'is its package';
  }
  if (before?.kind === 'package') return 'part of the package';
  return `${link.reason === undefined ? 'asked for' : reasonText(link.reason, before)}${line}`;
}

function reasonText(reason: NonNullable<ChainLink['reason']>, before: ChainLink | undefined): string {
  switch (reason.why) {
    case 'entry':
      return 'the entry';
    case 'in-source':
      return 'lies in the source folder';
    case 'kept':
      return `kept by \`${printable(reason.by)}\``;
    case 'through-link':
      return `behind the link ${printable(reason.by)}`;
    case 'needed':
      return `its package is needed by ${printable(listed(reason.by))}`;
    case 'imported':
      return 'imported';
    case 'named':
      return 'named in the code';
    case 'beside':
      return before?.kind === 'file' ? 'lies beside it' : `lies beside ${printable(reason.by)}`;
    case 'kept-whole':
      // The shortest way may lead through somebody who asks for it by name.
      return before !== undefined && !reason.by.startsWith(before.path)
        ? 'asked for'
        : `its package is kept whole, for what cannot be seen at ${printable(reason.by)}`;
    case 'made-for':
      return `made for ${printable(reason.by)}`;
  }
}
