/** `why`: the chain from the entry to files of an artifact; for what trimming left out, the rule and the way back. */
import picomatch from 'picomatch';
import { EmballageError } from '../../core/base/errors';
import { isPattern } from '../../core/base/paths';
import { count, listed, nearestWord, printable } from '../../core/base/text';
import { formatSize } from '../../core/base/units';
import { verifyAgainstWaybill } from '../../core/project/verify-artifact';
import { artifactPath, selectFunctions } from '../../core/project/targets';
import { explain, leftOut, type ChainLink, type Explained, type LeftOutGroup } from '../../core/pipeline/explain';
import { ARCHITECTURES } from '../../core/sheet';
import type { Waybill } from '../../core/waybill';
import { chooseArch } from '../calling';
import type { Session } from '../session';
import { shellWord } from '../session';
import { EXIT, text, texts, type CommandModule } from './command';

const SHOWN = 20;
const SHOWN_LEFT_OUT = 5;

export const command: CommandModule = {
  about:
    'Prints why files are in an artifact: who asks for each, back to the entry, as the waybill has it. PATTERN is a path in\n' +
    'the artifact, or a pattern such as `**/*.json`; a part of a path without a slash is looked for anywhere. Modules that\n' +
    'were linked into one file are found too, and what trimming left out: by which rule, what that saves, and the line\n' +
    'that keeps it.',
  examples: [
    ["surge-alert '**/*.json'", 'why each JSON file is there'],
    ['gauge-intake tidebase', 'all files with that in their path'],
  ],
  options: {
    arch: {
      choices: ARCHITECTURES,
      requiresArg: true,
      describe: 'which of the artifacts; this machine’s otherwise',
    },
  },
  async run(args, session) {
    const [name, pattern, ...rest] = texts(args, '_');
    if (name === undefined || pattern === undefined || rest.length > 0)
      throw new EmballageError('USAGE', {
        doing: 'reading the command line',
        expected: 'a function and a pattern: `why NAME PATTERN`',
        found: count(texts(args, '_').length, 'word'),
        mend: 'name the function, then the files; put a pattern into quotes',
      });
    const project = await session.openProject();
    const [spec] = selectFunctions(project.sheet, [name]);
    if (spec === undefined) throw new Error('no function chosen');
    const arch = chooseArch(spec, text(args, 'arch'));
    const waybill = await verifyAgainstWaybill(project, { spec, arch });
    const matches = matcher(pattern);
    const found = explain(waybill, matches);
    const without = leftOut(waybill, matches);
    session.document({ name, arch, files: found, leftOut: without });
    if (found.length === 0) {
      if (without.length === 0) session.say(nothing(pattern, waybill, artifactPath({ spec, arch })));
      else session.say(leftOutText(without, session));
      session.next(`build ${shellWord(name)} --verbose`, 'see what was left out of the source');
      return EXIT.no;
    }
    for (const [i, one] of found.slice(0, SHOWN).entries())
      session.say(`${i === 0 ? '' : '\n'}${explainedText(one, session)}`);
    if (found.length > SHOWN) session.say(`\nand ${count(found.length - SHOWN, 'more file')}; --json has them all`);
    if (without.length > 0) session.say(`\n${leftOutText(without, session)}`);
    session.next(`try ${shellWord(name)}`, 'call the function');
    return EXIT.done;
  },
};

function matcher(pattern: string): (path: string) => boolean {
  if (!isPattern(pattern)) return (path) => path === pattern || path.includes(pattern);
  return picomatch(pattern.includes('/') ? pattern : `**/${pattern}`, { dot: true });
}

function nothing(pattern: string, waybill: Waybill, artifact: string): string {
  const paths = [...waybill.files, ...waybill.modules].map(({ path }) => path);
  const near = nearestWord(pattern, paths.slice(0, 5000));
  return `nothing in ${artifact} matches \`${printable(pattern)}\`${near === undefined ? '' : `; did you mean \`${printable(near)}\`?`}`;
}

function explainedText({ path, size, inside, chain }: Explained, { paint }: Session): string {
  const where = inside === undefined ? '' : paint.dim(`  inside ${printable(inside)}`);
  const last = chain.at(-1);
  const from = last === undefined ? '' : `  ${paint.dim(originText(last.origin))}`;
  const lines = chain.map(
    (link, i) =>
      `${'  '.repeat(i + 1)}${i === 0 ? '' : '└ '}${paint.name(printable(link.path))}  ${paint.dim(reasonText(link.reason))}`,
  );
  return [`${paint.bold(printable(path))}  ${formatSize(size)}${from}${where}`, ...lines].join('\n');
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

function leftOutText(groups: readonly LeftOutGroup[], { paint, verbose }: Session): string {
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

function originText(origin: ChainLink['origin']): string {
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

function reasonText(reason: ChainLink['reason']): string {
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
      return 'a file that is named in the code';
    case 'beside':
      return `lies beside ${printable(reason.by)}`;
    case 'kept-whole':
      return `its package is kept whole, for what cannot be seen at ${printable(reason.by)}`;
    case 'made-for':
      return `made for ${printable(reason.by)}`;
  }
}
