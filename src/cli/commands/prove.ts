/** `prove`: builds again in changed surroundings and compares the bytes, with what others built too. */
import { release } from 'node:os';
import { resolve } from 'node:path';
import { count } from '../../core/base/text';
import { formatTime } from '../../core/base/units';
import { writeInProject } from '../../core/disk/write';
import { build } from '../../core/pipeline/build';
import {
  filesToCopy,
  formatRecord,
  prove,
  recordOfProof,
  VARIATIONS,
  whatLacks,
  type Finding,
  type Proof,
  type Variation,
} from '../../core/pipeline/prove';
import { selectFunctions, targetsOf, type Project } from '../../core/project/targets';
import { ARCHITECTURES, type FunctionSpec } from '../../core/sheet';
import { TOOL } from '../program';
import { compareRecordFiles, proveAgainst } from '../proving/proof-elsewhere';
import { rebuilderFor, withPlaces } from '../proving/proving';
import type { Session } from '../session/session';
import { partOf, PART_OPTION } from '../delivering/part-option';
import { buildText, findingsText, leftOutText } from '../views/proof-text';
import { EXIT, text, texts, type Arguments, type CommandModule, type ExitCode } from './command';

export const command: CommandModule = {
  about:
    'Builds the functions again in other surroundings, with their compilers, and compares artifacts and waybills byte for\n' +
    'byte: with everything changed at once, and with one thing at a time; where that would take long, with half of them at a\n' +
    'time (--each: one at a time all the same). The answer is no (exit code 1) when any differ: it looks for the one thing\n' +
    'that makes them differ, and names it, the first place, and the likely cause.',
  examples: [
    ['', 'prove everything in the sheet'],
    ['surge-alert --json', 'prove one function, for a program to read'],
  ],
  options: {
    each: { type: 'boolean', default: false, describe: 'change one thing at a time, however long it takes' },
    against: {
      type: 'string',
      requiresArg: true,
      value: 'FILE',
      proposes: 'files',
      describe: 'hold an artifact from elsewhere against what this source and lock give, built anew',
    },
    arch: {
      choices: ARCHITECTURES,
      requiresArg: true,
      describe: 'which artifact --against is; told by its bytes otherwise',
    },
    record: {
      type: 'string',
      requiresArg: true,
      value: 'FILE',
      proposes: 'files',
      describe: 'write which surroundings gave which digests, to hold it against other machines',
    },
    part: PART_OPTION,
    records: {
      type: 'boolean',
      default: false,
      describe: 'build nothing; hold the records that are named against each other',
    },
  },
  async run(args, session) {
    const words = texts(args, '_');
    if (args.records === true) return compareRecordFiles(words, session);
    const project = await session.openProject();
    const against = text(args, 'against');
    if (against !== undefined) return proveAgainst(against, words, args, project, session);
    const { functions, part } = await partOf(args, project, selectFunctions(project.sheet, words));
    // A function is proved whole, by the worker of its first architecture.
    const own = functions.filter((spec) => spec.archs.slice(0, 1).every((arch) => part?.({ spec, arch }) ?? true));
    return proveAll(own, args, project, session);
  },
};

async function proveAll(
  functions: readonly FunctionSpec[],
  args: Arguments,
  project: Project,
  session: Session,
): Promise<ExitCode> {
  const epochSeconds = session.epochSeconds();
  await build({
    project,
    functions,
    jobs: session.jobs,
    tool: TOOL,
    machine: session.machine(),
    now: () => session.now(),
    http: () => session.http(project),
    registry: (host, plainHttp) => session.registry(host, plainHttp),
    onEvent: () => session.progress.show('building'),
    ...(epochSeconds !== undefined && { epochSeconds }),
  });
  return withPlaces(session, async (places) => {
    const plan = await filesToCopy(project, functions);
    const lacks = VARIATIONS.map((one) => ({ one, mend: whatLacks(one, places.means) }));
    const variations = lacks.flatMap(({ one, mend }) => (mend === undefined ? [one] : []));
    const leftOut = lacks.flatMap(({ one, mend }) => (mend === undefined ? [] : [{ one, mend }]));
    const proof = await prove({
      root: project.root,
      functions,
      variations,
      jobs: session.jobs,
      isEach: args.each === true,
      rebuild: rebuilderFor(project, functions, places, session, plan),
      clock: () => performance.now(),
      pause: (ms) => new Promise((resolve) => setTimeout(resolve, ms)),
      onBuild: (one) => session.tell(buildText(one, variations, session.paint)),
      onSearch: () => session.remark('looking for what makes them differ'),
    });
    for (const { one, mend } of leftOut) session.tell(leftOutText(one, mend, session.paint));
    const record = text(args, 'record');
    const names = leftOut.map(({ one }) => one.id);
    if (record !== undefined)
      await writeRecord(record, proof, { project, functions, files: plan.files, leftOut: names }, session);
    return conclude(proof, functions, { variations, leftOut, record }, session);
  });
}

async function writeRecord(
  file: string,
  proof: Proof,
  about: {
    readonly project: Project;
    readonly functions: readonly FunctionSpec[];
    readonly files: readonly string[];
    readonly leftOut: readonly string[];
  },
  session: Session,
): Promise<void> {
  const machine = session.machine();
  const record = await recordOfProof(proof, {
    ...about,
    tool: TOOL,
    machine: {
      arch: machine.arch,
      system: `${process.platform} ${release()}`,
      runtime: machine.self.version,
      glibc: machine.glibc() ?? null,
    },
  });
  writeInProject(resolve(session.cwd, file), formatRecord(record), file);
}

interface Outcome {
  readonly variations: readonly Variation[];
  readonly leftOut: readonly { readonly one: Variation; readonly mend: string }[];
  readonly record: string | undefined;
}

function conclude(proof: Proof, functions: readonly FunctionSpec[], outcome: Outcome, session: Session): ExitCode {
  const { findings, builds, way } = proof;
  const { variations, leftOut, record } = outcome;
  session.document({
    reproducible: findings.length === 0,
    way,
    variations: [...variations, ALL].map((one) => variationDocument(one, proof)),
    builds: builds.map(({ on, differs }) => ({ on: on.map(({ id }) => id), same: differs.length === 0, differs })),
    findings: findings.map(findingDocument),
    leftOut: leftOut.map(({ one, mend }) => ({ id: one.id, title: one.title, mend })),
    ...(record !== undefined && { record }),
  });
  const targets = targetsOf(functions).length;
  const what = `${count(targets, 'artifact')} and ${targets === 1 ? 'its waybill' : 'their waybills'}`;
  if (record !== undefined) session.tell(session.paint.dim(`\nrecorded in ${record}`));
  if (findings.length === 0) {
    const how = way === 'alone' ? 'each alone and all together' : `all together and half of them at a time`;
    session.say(
      `\n${session.paint.good('Reproducible:')} ${what} came out the same in ${count(variations.length, 'variation')}, ${how} (${formatTime(performance.now())})`,
    );
    session.next('prove --record proof.json', 'hold it against another machine');
    return EXIT.done;
  }
  session.say(`\n${session.paint.bad('Not reproducible:')}\n\n${findingsText(findings, session.paint)}`);
  const [first] = findings;
  session.next(first === undefined ? 'rules' : `why ${first.name} '*'`, 'see where each file comes from');
  return EXIT.no;
}

/** All of them at once stands beside the others. */
const ALL = { id: 'all', title: 'all of these together' };

function variationDocument({ id, title }: Pick<Variation, 'id' | 'title'>, { findings, builds }: Proof) {
  const [whole] = builds;
  const own = findings.filter(
    ({ culprit }) => culprit.kind !== 'variations' || culprit.on.some((one) => one.id === id),
  );
  const differences =
    id === ALL.id ? (whole?.differs ?? []) : own.map(({ name, arch, file }) => ({ name, arch, file }));
  return { id, title, same: differences.length === 0, differences };
}

function findingDocument({ name, arch, file, culprit, place }: Finding) {
  const on = culprit.kind === 'variations' ? culprit.on.map(({ id }) => id) : [];
  return { name, arch, file, because: culprit.kind, on, place };
}
