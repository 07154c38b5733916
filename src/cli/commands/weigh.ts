/** `weigh`: what takes the room in artifacts. */
import { basename, resolve } from 'node:path';
import { EmballageError } from '../../core/base/errors';
import { groupBy } from '../../core/base/several';
import { listed, printable } from '../../core/base/text';
import { parseSize } from '../../core/base/units';
import { KNOWN } from '../../core/known';
import {
  earlierWeights,
  growth,
  recordFrom,
  triedSavings,
  weighFile,
  weighTarget,
  writeRecords,
  type Growth,
  type Part,
  type Weighed,
} from '../../core/pipeline/weigh';
import { selectFunctions, targetsOf, weightsNameOf, type Project } from '../../core/project/targets';
import { ARCHITECTURES, type Arch } from '../../core/sheet';
import { artifactWord } from '../artifact-word';
import { withScratch } from '../session/scratch';
import { shellWord, type Session } from '../session/session';
import type { WeighedNow } from '../weigh-report';
import { growthText } from '../views/growth-text';
import { headline, partRow, partsText, weighText } from '../views/weigh-text';
import { EXIT, text, texts, type Arguments, type CommandModule } from './command';

export const command: CommandModule = {
  about:
    'Tells what takes the room in the artifacts of functions, or in any artifact by hand (zip archive, JAR, executable,\n' +
    'image layout): by dependency, by place and by kind, packed and unpacked. Beside each dependency stands what it costs\n' +
    'alone, which is what would go if it went. Then what trimming left out, and what could still go, with the line of the\n' +
    'sheet to write.',
  examples: [
    ['surge-alert', 'what takes the room in one function'],
    ['other.zip --by file', 'the files of an archive that something else made, the heaviest first'],
  ],
  options: {
    arch: { choices: ARCHITECTURES, requiresArg: true, describe: 'only this architecture' },
    report: {
      value: 'FILE.html',
      proposes: 'files',
      type: 'string',
      requiresArg: true,
      describe: 'draw it as a page that a browser opens from the file, without a network',
    },
    over: {
      value: 'FILE|BUILD',
      type: 'string',
      requiresArg: true,
      describe: 'how it has grown since: a waybill, an artifact, or the folder of another build',
    },
    budget: { type: 'boolean', describe: 'record what functions weigh; from then on `check` holds them to it' },
    allow: {
      value: 'AMOUNT',
      type: 'string',
      requiresArg: true,
      describe: 'with --budget: how much may come on top, such as "5 %" (the default) or "10 KiB"',
    },
    further: {
      type: 'boolean',
      describe: 'try what other keys of the sheet would save, by putting the files together under each',
    },
    by: {
      choices: ['overview', 'file'],
      default: 'overview',
      requiresArg: true,
      describe: 'what to list: everything in short, or every single file',
    },
  },
  async run(args, session) {
    const words = texts(args, '_');
    const arch = ARCHITECTURES.find((one) => one === text(args, 'arch'));
    const allow = readAllow(args);
    const over = text(args, 'over');
    const report = text(args, 'report');
    if (report !== undefined) refuseOtherEnding(report);
    const all = await withScratch('weigh', async (scratch) => {
      const plain = await weighAll(words, arch, session, scratch);
      const weighed = args.further === true ? await withTried(plain, session) : plain;
      const both: WeighedNow[] = [];
      for (const one of weighed) both.push({ one, grown: await grownSince(one, over, session, scratch) });
      if (report !== undefined)
        await (await import('../weigh-report')).writeReport(report, both, over, session, scratch);
      return both;
    });
    const recorded =
      args.budget === true
        ? await record(
            all.map(({ one }) => one),
            allow,
            session,
          )
        : undefined;
    // Thousands of parts are made into rows only for those who read them.
    if (session.json)
      session.document({
        weighed: all.map(({ one, grown }) => ({
          ...weighedDocument(one),
          ...(grown !== undefined && { growth: grown }),
        })),
        ...(recorded !== undefined && { recorded }),
        ...(report !== undefined && { report }),
      });
    say(all, args, session);
    if (recorded !== undefined) session.tell(`\nrecorded in ${recorded}`);
    if (report !== undefined) session.tell(`\nwrote ${printable(report)}, which a browser opens`);
    next(
      all.map(({ one }) => one),
      recorded,
      session,
    );
    return EXIT.done;
  },
};

/** Refused before anything is weighed. */
function refuseOtherEnding(file: string): void {
  if (/\.html?$/i.test(file)) return;
  throw new EmballageError('USAGE', {
    doing: 'reading the command line',
    where: '--report',
    expected: 'a file that a browser opens, ending in `.html`',
    found: `\`${printable(file)}\``,
    mend: `write \`--report ${printable(file)}.html\``,
  });
}

function readAllow(args: Arguments): string | undefined {
  const allow = text(args, 'allow');
  if (allow === undefined) return undefined;
  const wrong = (expected: string, found: string, mend: string): EmballageError =>
    new EmballageError('USAGE', { doing: 'reading the command line', where: '--allow', expected, found, mend });
  if (args.budget !== true) throw wrong('it together with `--budget`', 'it alone', 'add `--budget`');
  const plain = allow.replace(/^([\d.]+)\s*(%|[KMG]?i?B)$/, '$1 $2');
  if (/^\d{1,4}(?:\.\d{1,3})? %$/.test(plain) || parseSize(plain) !== undefined) return plain;
  throw wrong(
    'a share or a size, such as `5 %` or `10 KiB`',
    `\`${printable(allow)}\``,
    'write it like `--allow "5 %"`',
  );
}

/** The same, with what other keys would save. What is no function of the sheet has none. */
async function withTried(weighed: readonly Weighed[], session: Session): Promise<Weighed[]> {
  const project = await session.openProject();
  const targets = targetsOf(project.sheet.functions);
  const epochSeconds = session.epochSeconds();
  const request = {
    project,
    http: () => session.http(project),
    machine: session.machine(),
    jobs: session.jobs,
    ...(epochSeconds !== undefined && { epochSeconds }),
  };
  const all: Weighed[] = [];
  for (const one of weighed) {
    const target = targets.find(({ spec, arch }) => spec.name === one.name && arch === one.arch);
    const onTry = (line: string): void => session.progress.show(`${one.name}: trying ${line}`);
    all.push(target === undefined ? one : { ...one, savings: await triedSavings(request, target, one, onTry) });
  }
  session.progress.clear();
  return all;
}

async function grownSince(
  weighed: Weighed,
  over: string | undefined,
  session: Session,
  scratch: string,
): Promise<Growth | undefined> {
  if (over === undefined) return undefined;
  const arch = ARCHITECTURES.find((one) => one === weighed.arch);
  const path = resolve(session.cwd, over);
  const { name } = weighed;
  const before = await earlierWeights({
    path,
    shown: over,
    name,
    arch,
    languages: KNOWN,
    scratch: `${scratch}-earlier`,
  });
  return growth(before, recordFrom(weighed));
}

/** @returns the name of the file */
async function record(weighed: readonly Weighed[], allow: string | undefined, session: Session): Promise<string> {
  const project = await session.openProject();
  const known = new Set(project.sheet.functions.map(({ name }) => name));
  const strange = weighed.find(({ origins, name }) => origins !== 'known' || !known.has(name));
  if (strange !== undefined)
    throw new EmballageError('USAGE', {
      doing: 'recording weights',
      where: printable(strange.artifact),
      expected: 'functions of the sheet, as they were built',
      found: known.has(strange.name) ? 'an artifact without its own waybill' : 'an artifact by hand',
      mend: 'name a function, and build it first',
    });
  const records = weighed.map((one) => ({ name: one.name, arch: one.arch ?? '', record: recordFrom(one) }));
  await writeRecords(project, records, allow);
  return weightsNameOf(project);
}

async function weighAll(
  words: readonly string[],
  arch: Arch | undefined,
  session: Session,
  scratch: string,
): Promise<Weighed[]> {
  const [word = ''] = words;
  const file = words.length === 1 ? await artifactWord(word, session) : undefined;
  if (file !== undefined) {
    const path = resolve(session.cwd, file);
    const named = { name: basename(file), path, shown: file, scratch, ...(arch !== undefined && { arch }) };
    return [await weighFile(named, KNOWN)];
  }
  const project = await session.openProject();
  return weighFunctions(project, words, arch, scratch);
}

async function weighFunctions(
  project: Project,
  names: readonly string[],
  arch: Arch | undefined,
  scratch: string,
): Promise<Weighed[]> {
  const targets = targetsOf(selectFunctions(project.sheet, names)).filter(
    (one) => arch === undefined || one.arch === arch,
  );
  if (targets.length === 0)
    throw new EmballageError('USAGE', {
      doing: 'choosing functions',
      where: '--arch',
      expected: 'an architecture that one of them is made for',
      found: arch ?? 'none',
      mend: 'name another',
    });
  const weighed: Weighed[] = [];
  for (const target of targets) weighed.push(await weighTarget(project, target, scratch));
  return weighed;
}

/** Architectures that have the same bytes are told once; what a page shows is told in a line. */
function say(all: readonly WeighedNow[], args: Arguments, session: Session): void {
  const { paint, quiet, verbose } = session;
  const options = { paint, quiet, verbose };
  const result = groupBy(all, ({ one: { name, sha256, artifact } }) => `${name} ${sha256 ?? artifact}`);
  const paragraphs = [...result.values()].map((alike) => {
    const [{ one, grown }] = alike;
    const archs = alike.flatMap(({ one: { arch } }) => arch ?? []);
    const weighed = archs.length > 1 ? { ...one, arch: listed(archs) } : one;
    if (text(args, 'report') !== undefined) return headline(weighed, paint);
    const shown = text(args, 'by') === 'file' ? partsText(weighed, options) : weighText(weighed, options);
    return grown === undefined ? shown : `${shown}\n\n${growthText(grown, text(args, 'over') ?? '', paint, verbose)}`;
  });
  session.say(paragraphs.join(text(args, 'report') === undefined ? '\n\n' : '\n'));
}

function next(all: readonly Weighed[], recorded: string | undefined, session: Session): void {
  const [weighed] = all;
  if (recorded !== undefined) session.next('check', 'hold artifacts to it');
  else if (weighed !== undefined) nextOf(weighed, session);
}

function nextOf(weighed: Weighed, session: Session): void {
  const known = weighed.parts.filter(({ row }) => row !== undefined);
  const heaviest = heaviestOf(known.filter(({ owner }) => owner.kind === 'package')) ?? heaviestOf(known);
  if (weighed.origins === 'known' && heaviest !== undefined)
    session.next(`why ${shellWord(weighed.name)} ${shellWord(fileOf(heaviest))}`, 'see why the heaviest file is there');
  else session.next(`check ${shellWord(weighed.artifact)} --at DESTINATION`, 'hold it against a destination');
}

function heaviestOf(parts: readonly Part[]): Part | undefined {
  return parts.reduce<Part | undefined>((a, b) => (b.unpacked > (a?.unpacked ?? -1) ? b : a), undefined);
}

/** A module is found by its own name; what is in an executable by that of the executable. */
function fileOf({ path, inside, section }: Part): string {
  return section === undefined ? path : (inside ?? path);
}

function weighedDocument({ graph: _graph, parts, dependencies, ...rest }: Weighed) {
  return {
    ...rest,
    dependencies: dependencies.map(({ key: _key, ...one }) => one),
    parts: parts.map(partRow),
  };
}
