/** `check`: holds artifacts against their destination. */
import { basename, resolve } from 'node:path';
import { EmballageError } from '../../core/base/errors';
import { nearestWord, printable } from '../../core/base/text';
import { isOnlyTouched, lookForChange, type StatusRequest } from '../../core/pipeline/build';
import { KNOWN } from '../../core/known';
import { languageOf } from '../../core/languages';
import { checkFile, checkTarget, rulesFor, stopFindings, type CheckedArtifact } from '../../core/pipeline/check';
import { selectFunctions, targetsOf, type Project } from '../../core/project/targets';
import type { FunctionFacts } from '../../core/rules';
import { ARCHITECTURES, readRuntime, type FunctionSpec, type Runtime } from '../../core/sheet';
import { artifactWord } from '../artifact-word';
import { findDestination } from '../delivering/destination-word';
import { surroundings } from '../session/machine';
import { TOOL } from '../program';
import { withScratch } from '../session/scratch';
import { shellWord, type Session } from '../session/session';
import { partOf, PART_OPTION } from '../delivering/part-option';
import { surroundingsOf } from '../checking';
import { EXIT, text, texts, type Arguments, type CommandModule, type ExitCode } from './command';

export const command: CommandModule = {
  about:
    'Holds the artifacts of functions, or any artifact by hand (zip archive, JAR, executable, image layout), against a\n' +
    'destination: sizes, architecture, runtime, entry, layout, settings, what an image stands on and starts. The answer\n' +
    'is no (exit code 1) when a finding says stop and the sheet does not accept it.',
  examples: [
    ['', 'check everything that was built'],
    ['other.zip --at slipway --entry alert.mjs#decide', 'check a file that something else made'],
  ],
  options: {
    at: {
      value: 'DESTINATION',
      proposes: 'destinations',
      type: 'string',
      requiresArg: true,
      describe: 'for a file: the destination, by name in the sheet or by its file',
    },
    arch: { choices: ARCHITECTURES, requiresArg: true, describe: 'for a file: its architecture' },
    runtime: {
      value: 'RUNTIME',
      type: 'string',
      requiresArg: true,
      describe: 'for a file: its runtime, such as "node 20", or native',
    },
    entry: {
      value: 'ENTRY',
      type: 'string',
      requiresArg: true,
      describe: 'for a file: its entry, FILE#MEMBER or CLASS#METHOD; a file for native code',
    },
    format: {
      choices: ['text', 'sarif', 'junit'],
      default: 'text',
      requiresArg: true,
      describe: 'what to write on standard output',
    },
    part: PART_OPTION,
    there: {
      value: 'DESTINATION',
      proposes: 'destinations',
      type: 'string',
      describe: 'compare with what stands at the destination, and name each drift',
    },
  },
  async run(args, session) {
    const names = texts(args, '_');
    const format = text(args, 'format');
    if (session.json && format !== 'text')
      throw new EmballageError('USAGE', {
        doing: 'reading the command line',
        where: '--json',
        expected: 'one form of the answer',
        found: `it together with \`--format ${format ?? ''}\``,
        mend: 'take one of the two',
      });
    const there = text(args, 'there');
    if (there !== undefined) {
      const project = await session.openProject();
      return (await import('../delivering/check-remote')).checkThere(
        project,
        selectFunctions(project.sheet, names),
        there,
        session,
      );
    }
    const file =
      names.length === 1 ? await artifactWord(names[0] ?? '', session, text(args, 'at') !== undefined) : undefined;
    const checked = await withScratch('check', async (scratch) =>
      file === undefined
        ? checkFunctions(names, args, session, scratch)
        : [await checkOneFile(file, args, session, scratch)],
    );
    return show(checked, args, session, names);
  },
};

async function checkFunctions(
  names: readonly string[],
  args: Arguments,
  session: Session,
  scratch: string,
): Promise<CheckedArtifact[]> {
  for (const option of ['at', 'arch', 'runtime', 'entry'])
    if (text(args, option) !== undefined)
      throw new EmballageError('USAGE', {
        doing: 'reading the command line',
        where: `--${option}`,
        expected: 'it together with one artifact file',
        found: 'it without a file',
        mend: 'name the file; for functions the sheet says it',
      });
  const project = await session.openProject();
  const { functions, part } = await partOf(args, project, selectFunctions(project.sheet, names));
  const checked: CheckedArtifact[] = [];
  for (const target of targetsOf(functions).filter((one) => part?.(one) ?? true))
    checked.push(await checkTarget(project, target, surroundingsOf(project, session, scratch)));
  await remarkOutdated(
    project,
    functions.map((spec) => spec.name),
    session,
  );
  return checked;
}

async function remarkOutdated(project: Project, names: readonly string[], session: Session): Promise<void> {
  const epochSeconds = session.epochSeconds();
  const request = {
    project,
    now: () => session.now(),
    tool: TOOL,
    ...(epochSeconds !== undefined && { epochSeconds }),
  };
  for (const spec of project.sheet.functions) {
    if (!names.includes(spec.name)) continue;
    const found = await whatChanged(request, spec);
    if (found === undefined) continue;
    session.remark(`${session.paint.doubt('note')} ${spec.name}: ${found}; ${session.command(`build ${spec.name}`)}`);
  }
}

/** What is to be remarked of a function that is not as it was when it was built; undefined where it is. */
async function whatChanged(request: StatusRequest, spec: FunctionSpec): Promise<string | undefined> {
  try {
    const look = await lookForChange(request, spec);
    if (look.unchanged !== undefined || (await isOnlyTouched(request, look))) return undefined;
    return look.index === undefined
      ? 'nothing is remembered of its build, so that nobody knows whether it is what its source gives now'
      : 'source or sheet changed since this was built';
  } catch (error) {
    if (!(error instanceof EmballageError)) throw error;
    // What the lock no longer covers is a finding of its own.
    if (error.code === 'LOCK_OUTDATED' || error.code === 'LOCK_INVALID') return undefined;
    return `whether it changed since this was built cannot be told: ${error.facts.found}`;
  }
}

async function checkOneFile(
  file: string,
  args: Arguments,
  session: Session,
  scratch: string,
): Promise<CheckedArtifact> {
  const destination = await findDestination(text(args, 'at'), session);
  const path = resolve(session.cwd, file);
  return checkFile({
    path,
    shown: file,
    name: basename(file),
    destination,
    facts: { ...factsFrom(args), surroundings: surroundings() },
    accept: [],
    today: session.today(),
    isVerified: false,
    jobs: session.jobs,
    machine: session.machine(),
    scratch,
  });
}

function factsFrom(args: Arguments): FunctionFacts {
  const [runtime, entry] = [text(args, 'runtime'), text(args, 'entry')];
  const arch = ARCHITECTURES.find((one) => one === text(args, 'arch'));
  const [, file, member = ''] =
    entry === undefined ? [] : (/^([^#\s][^#]*)(?:#([A-Za-z_$][\w$]*(?:\.[A-Za-z_$][\w$]*)*))?$/.exec(entry) ?? []);
  const known = runtime === undefined ? undefined : runtimeFrom(runtime);
  const isNativeCode = known !== undefined && !languageOf(known.language).sheet.entry.hasMember;
  if (entry !== undefined && (file === undefined || (member === '') !== isNativeCode))
    throw new EmballageError('USAGE', {
      doing: 'reading the command line',
      where: '--entry',
      expected: isNativeCode ? 'a file, for native code' : '`FILE#MEMBER`',
      found: `\`${printable(entry)}\``,
      mend: isNativeCode ? 'write it like `run`' : 'write it like `alert.mjs#decide`, or say `--runtime native`',
    });
  return {
    ...(arch !== undefined && { arch }),
    ...(known !== undefined && { runtime: known }),
    ...(entry !== undefined && file !== undefined && { entry: { text: entry, file, member } }),
  };
}

function runtimeFrom(text: string): Runtime {
  const runtime = readRuntime(text, KNOWN);
  if (runtime !== undefined) return runtime;
  const samples = KNOWN.all.map(({ runtime: words }) => words.sample);
  const near = nearestWord(text, samples);
  throw new EmballageError('USAGE', {
    doing: 'reading the command line',
    where: '--runtime',
    expected: `a runtime, such as ${samples.map((one) => `\`${one}\``).join(', ')}`,
    found: `\`${printable(text)}\``,
    mend: near === undefined ? 'write language, space, version' : `did you mean \`--runtime "${near}"\`?`,
  });
}

async function show(
  checked: readonly CheckedArtifact[],
  args: Arguments,
  session: Session,
  names: readonly string[],
): Promise<ExitCode> {
  const stops = stopFindings(checked);
  const exit = stops.length > 0 ? EXIT.no : EXIT.done;
  if (session.json) {
    session.document({ fit: stops.length === 0, artifacts: checked.map(plainArtifact) });
  } else if (text(args, 'format') === 'sarif') {
    const { sarifLog } = await import('../views/sarif');
    process.stdout.write(`${JSON.stringify(sarifLog(checked, await rulesFor({})), null, 2)}\n`);
  } else if (text(args, 'format') === 'junit') {
    const { junitXml } = await import('../views/junit');
    process.stdout.write(junitXml(checked));
  } else {
    const { checkTexts } = await import('../views/check-text');
    session.say(checkTexts(checked, session));
    const [first] = stops;
    const name = names.length === 1 ? names[0] : checked[0]?.name;
    if (first !== undefined) session.next(`rules ${first.rule}`, 'read what the rule means');
    else if (name !== undefined && checked[0]?.arch !== undefined)
      session.next(`try ${shellWord(name)}`, 'call it from its artifact');
    else session.next('rules', 'see what was looked for');
  }
  return exit;
}

/** The result without what the rules say about themselves. */
function plainArtifact({ outcomes, ...head }: CheckedArtifact) {
  return { ...head, rules: outcomes.map(({ rule, ...outcome }) => ({ id: rule.id, ...outcome })) };
}
