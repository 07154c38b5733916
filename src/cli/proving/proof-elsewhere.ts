/** Proofs with what is from elsewhere: an artifact, and records of other machines. */
import { existsSync } from 'node:fs';
import { basename, dirname, join, resolve } from 'node:path';
import { EmballageError } from '../../core/base/errors';
import { count, printable } from '../../core/base/text';
import { compare } from '../../core/pipeline/compare';
import {
  compareRecords,
  filesToCopy,
  readProofRecord,
  VARIATIONS,
  whatLacks,
  type RecordSide,
} from '../../core/pipeline/prove';
import { artifactPath, selectFunctions, type Project, type Target } from '../../core/project/targets';
import type { FunctionSpec } from '../../core/sheet';
import { EXIT, text, type Arguments, type ExitCode } from '../commands/command';
import { rebuilderFor, withPlaces } from './proving';
import type { Session } from '../session/session';
import { compareText } from '../views/compare-text';
import { recordsText } from '../views/proof-text';

/** Holds records of several machines against each other. @returns NO where two differ */
export async function compareRecordFiles(words: readonly string[], session: Session): Promise<ExitCode> {
  if (words.length < 2)
    throw new EmballageError('USAGE', {
      doing: 'reading the command line',
      expected: 'two records or more: `prove --records FILE FILE`',
      found: count(words.length, 'word'),
      mend: 'name the files that `prove --record FILE` wrote on each machine',
    });
  const sides: RecordSide[] = [];
  for (const shown of words) {
    const record = await readProofRecord(resolve(session.cwd, shown), shown);
    if (record === undefined)
      throw missing('reading the record of a proof', shown, 'record it with `prove --record FILE`');
    sides.push({ shown, record });
  }
  const lines = compareRecords(sides);
  const agree = lines.every(({ differs }) => differs === undefined);
  session.document({
    agree,
    records: sides.map(({ shown, record }) => ({ file: shown, machine: record.machine })),
    targets: lines,
  });
  session.say(recordsText(lines, sides, session.paint));
  const { paint } = session;
  session.say(
    `\n${agree ? paint.good('They agree:') : paint.bad('They do not agree:')} ${count(lines.length, 'artifact')} in ${count(sides.length, 'record')}`,
  );
  if (agree) session.next('check', 'hold the artifacts against their destination');
  else session.next('prove', 'see whether builds come out the same here');
  return agree ? EXIT.done : EXIT.no;
}

function missing(doing: string, shown: string, mend: string): EmballageError {
  return new EmballageError('FILE_MISSING', {
    doing,
    where: printable(shown),
    expected: 'a file',
    found: 'nothing there',
    mend,
  });
}

/** Builds here and holds what comes out against a record of another machine. @returns NO where they differ */
export async function proveAgainst(
  shown: string,
  words: readonly string[],
  args: Arguments,
  project: Project,
  session: Session,
): Promise<ExitCode> {
  const path = resolve(session.cwd, shown);
  if (!existsSync(path)) throw missing('proving an artifact from elsewhere', shown, 'correct the path');
  const spec = functionOf(shown, words, project);
  return withPlaces(session, async (places) => {
    const rebuild = rebuilderFor(project, [spec], places, session, await filesToCopy(project, [spec]));
    const variations = VARIATIONS.filter((one) => whatLacks(one, places.means) === undefined);
    const { root } = await rebuild(variations);
    const archs = text(args, 'arch') === undefined ? spec.archs : spec.archs.filter((arch) => arch === args.arch);
    const targets = archs.map((arch): Target => ({ spec, arch }));
    const results = [];
    for (const target of targets) {
      const file = artifactPath(target);
      results.push({
        target,
        comparison: await compare({ path, shown }, { path: join(root, file), shown: `${file}, built anew` }),
      });
    }
    const same = results.find(({ comparison }) => comparison.verdict === 'same-bytes');
    // Of several architectures, the one that differs least is the one that it was meant to be.
    const nearest = [...results].sort((a, b) => weightOf(a.comparison) - weightOf(b.comparison)).at(0);
    if (nearest === undefined) throw noArch(spec, args);
    const { target, comparison } = nearest;
    session.document({
      comesFromHere: same !== undefined,
      file: shown,
      name: spec.name,
      arch: target.arch,
      comparison,
    });
    if (same === undefined) {
      session.say(compareText(comparison, session));
      session.say(
        `\n${session.paint.bad('It does not come from here:')} this source and lock give another ${spec.name} ${target.arch}`,
      );
      session.next(`compare ${shown} ${spec.name}`, 'see all that differs');
      return EXIT.no;
    }
    session.say(
      `${session.paint.good('It comes from here:')} ${printable(shown)} is what this source and lock give as ${spec.name} ${target.arch}, built anew`,
    );
    session.next(`check ${spec.name}`, 'hold it against its destination');
    return EXIT.done;
  });
}

function weightOf({ verdict, differences, unlisted }: Awaited<ReturnType<typeof compare>>): number {
  return verdict === 'same-bytes' ? -1 : differences.length + unlisted;
}

/** The function that is named, or whose artifact has that name, or the only one. */
function functionOf(shown: string, words: readonly string[], { sheet }: Project): FunctionSpec {
  const name = basename(shown);
  const alike = sheet.functions.filter((spec) => basename(artifactPath({ spec, arch: 'arm64' })) === name);
  const meant = words.length > 0 ? selectFunctions(sheet, words) : alike.length > 0 ? alike : sheet.functions;
  const [only, another] = meant;
  if (only !== undefined && another === undefined) return only;
  throw new EmballageError('USAGE', {
    doing: 'choosing the function that an artifact is held against',
    where: printable(join(dirname(shown), name)),
    expected: 'one function',
    found: words.length > 1 ? 'several' : 'none named, and none whose artifact has that file name',
    mend: 'name it: `prove NAME --against FILE`',
  });
}

function noArch(spec: FunctionSpec, args: Arguments): EmballageError {
  return new EmballageError('USAGE', {
    doing: 'choosing the artifact to hold it against',
    expected: `one of ${spec.archs.join(', ')}`,
    found: String(args.arch),
    mend: 'leave --arch out, or add the architecture to the sheet',
  });
}
