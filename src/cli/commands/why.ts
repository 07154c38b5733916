/** `why`: the chain from the entry to files of an artifact; for what trimming left out, the rule and the way back. */
import picomatch from 'picomatch';
import { EmballageError } from '../../core/base/errors';
import { isPattern } from '../../core/base/paths';
import { count, nearestWord, printable } from '../../core/base/text';
import { verifyAgainstWaybill } from '../../core/project/verify-artifact';
import { artifactPath, selectFunction, type Project, type Target } from '../../core/project/targets';
import {
  explain,
  explainPackages,
  leftOut,
  type Explained,
  type ExplainedPackage,
  type LeftOutGroup,
} from '../../core/pipeline/explain';
import { readLock } from '../../core/project/lock/lockfile';
import { ARCHITECTURES } from '../../core/sheet';
import type { Waybill } from '../../core/waybill';
import { chooseArch } from '../calling/calling';
import { shellWord, type Session } from '../session/session';
import { explainedText, leftOutText, packageText, type AskedPackage } from '../views/why-text';
import { EXIT, text, texts, type CommandModule } from './command';

const SHOWN = 20;

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
    all: { type: 'boolean', describe: 'a chain through everybody who asks for it, not only the shortest' },
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
    const spec = selectFunction(project.sheet, name);
    const target = { spec, arch: chooseArch(spec, text(args, 'arch')) };
    const waybill = await verifyAgainstWaybill(project, target);
    const matches = matcher(pattern);
    const packages = explainPackages(waybill, packageMatcher(pattern));
    const result: WhyResult = {
      packages: packages.length === 0 ? [] : await withAsked(project, target, packages),
      files: explain(waybill, { matches, all: args.all === true }),
      leftOut: leftOut(waybill, matches),
    };
    session.document({ name, arch: target.arch, ...result });
    const isThere = result.files.length > 0 || result.packages.length > 0;
    if (!isThere && result.leftOut.length === 0) session.say(nothing(pattern, waybill, artifactPath(target)));
    else say(result, session);
    if (isThere) session.next(`try ${shellWord(name)}`, 'call the function');
    else session.next(`build ${shellWord(name)} --verbose`, 'see what was left out of the source');
    return isThere ? EXIT.done : EXIT.no;
  },
};

interface WhyResult {
  readonly packages: readonly AskedPackage[];
  readonly files: readonly Explained[];
  readonly leftOut: readonly LeftOutGroup[];
}

function say({ packages, files, leftOut: without }: WhyResult, session: Session): void {
  const shown = session.verbose ? files : files.slice(0, SHOWN);
  const more = files.length - shown.length;
  const paragraphs = [
    ...packages.map((one) => packageText(one, session)),
    ...shown.map((one) => explainedText(one, session)),
    ...(more > 0 ? [`and ${count(more, 'more file')} (--verbose)`] : []),
    ...(without.length > 0 ? [leftOutText(without, session)] : []),
  ];
  session.say(paragraphs.join('\n\n'));
}

function matcher(pattern: string): (path: string) => boolean {
  if (!isPattern(pattern)) return (path) => path === pattern || path.includes(pattern);
  return picomatch(pattern.includes('/') ? pattern : `**/${pattern}`, { dot: true });
}

/** A package is meant by its name, or by a pattern for it. */
function packageMatcher(pattern: string): (name: string) => boolean {
  if (!isPattern(pattern)) return (name) => name === pattern;
  return pattern.includes('/') && !pattern.startsWith('@') ? () => false : picomatch(pattern);
}

/** With who asks for which versions, as the lock has it; nothing of what was settled before that was noted. */
async function withAsked(
  project: Project,
  { spec, arch }: Target,
  packages: readonly ExplainedPackage[],
): Promise<AskedPackage[]> {
  const locked = (await readLock(project)).functions[spec.name]?.targets[arch] ?? [];
  return packages.map((one) => {
    const known = locked.find(({ name, version }) => name === one.name && version === one.version);
    return { ...one, asked: known?.asked ?? [] };
  });
}

function nothing(pattern: string, waybill: Waybill, artifact: string): string {
  const paths = [...waybill.files, ...waybill.modules].map(({ path }) => path);
  const near = nearestWord(pattern, paths.slice(0, 5000));
  return `nothing in ${artifact} matches \`${printable(pattern)}\`${near === undefined ? '' : `; did you mean \`${printable(near)}\`?`}`;
}
