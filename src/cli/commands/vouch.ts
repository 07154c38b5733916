/** `vouch`: papers that others can verify, made and verified. */
import { resolve } from 'node:path';
import { EmballageError } from '../../core/base/errors';
import { isSshKey, type SigningKey } from '../../core/formats/signing';
import { keysFrom, signingKeyFrom, type Claim } from '../../core/pipeline/papers';
import { makePapers } from '../../core/pipeline/vouch';
import { PAPER_KINDS, paperPath, PAPERS, writePapers } from '../../core/project/papers';
import { selectFunctions, targetsOf } from '../../core/project/targets';
import { artifactWord } from '../artifact-word';
import { refuseOutdated } from '../outdated';
import { verifiedFile, verifiedFunction, type Verified } from '../delivering/verifying';
import { withScratch } from '../session/scratch';
import { shellWord, type Session } from '../session/session';
import { partOf, PART_OPTION } from '../delivering/part-option';
import { EXIT, text, texts, type Arguments, type CommandModule, type ExitCode } from './command';

const PASSWORD = 'EMBALLAGE_KEY_PASSWORD';

export const command: CommandModule = {
  about:
    'Writes beside each artifact what others can verify: bills of materials in CycloneDX 1.6 and SPDX 2.3, and provenance\n' +
    '(in-toto Statement v1, SLSA Provenance v1), which names artifact, waybill and bills by their digests. With --key it is\n' +
    'signed: in a DSSE envelope by a key in PEM, as SSH signs files by an SSH key. Same inputs, same papers. What is sent\n' +
    'afterwards takes them along. With --verify it says of an artifact which claims of its papers hold.',
  examples: [
    ['surge-alert --key harbour.key', 'write the papers of a function, signed'],
    ['--verify surge-alert --key keys/harbour.pem', 'verify what lies in out, and who has signed it'],
  ],
  options: {
    key: {
      value: 'FILE',
      type: 'string',
      requiresArg: true,
      proposes: 'files',
      describe: `sign with it: Ed25519 or P-256, PEM or SSH, its password in ${PASSWORD}; with --verify the public key of who is to have signed; may be given several times`,
    },
    builder: {
      value: 'ADDRESS',
      type: 'string',
      requiresArg: true,
      describe: 'who builds, as those who verify know it: an address of your own (a URI)',
    },
    verify: { type: 'boolean', default: false, describe: 'hold artifacts to their papers: functions, or a file' },
    sent: {
      type: 'boolean',
      default: false,
      describe: 'with --verify: fetch what was sent last, and hold that to its papers',
    },
    part: PART_OPTION,
  },
  async run(args, session) {
    const verify = args.verify === true;
    refuseStray(args, verify);
    return verify ? verifyAll(args, session) : vouchAll(args, session);
  },
};

function refuseStray(args: Arguments, verify: boolean): void {
  const stray = verify
    ? (['builder', 'part'] as const).find((one) => args[one] !== undefined)
    : args.sent === true
      ? 'sent'
      : undefined;
  const builder = text(args, 'builder');
  if (stray !== undefined)
    throw new EmballageError('USAGE', {
      doing: 'reading the command line',
      where: `--${stray}`,
      expected: verify ? 'it where papers are written' : '`--verify` with it',
      found: verify ? 'it with `--verify`' : 'it alone',
      mend: verify ? 'leave one of them out' : 'add --verify',
    });
  if (builder !== undefined && !/^[a-z][a-z0-9+.-]*:[^\s]+$/i.test(builder))
    throw new EmballageError('USAGE', {
      doing: 'reading the command line',
      where: '--builder',
      expected: 'an address such as `https://ci.harbour.example/gauges`',
      found: `\`${builder}\``,
      mend: 'write all of it',
    });
}

async function vouchAll(args: Arguments, session: Session): Promise<ExitCode> {
  const project = await session.openProject();
  const keys = await signingKeys(texts(args, 'key'), session);
  const { functions, part } = await partOf(args, project, selectFunctions(project.sheet, texts(args, '_')));
  for (const spec of functions) await refuseOutdated(project, spec, `vouching for ${spec.name}`, session);
  const builder = text(args, 'builder');
  const vouched: { name: string; arch: string; papers: Record<string, string> }[] = [];
  for (const target of targetsOf(functions).filter((one) => part?.(one) ?? true)) {
    const { spec, arch } = target;
    session.progress.show(`vouching for ${spec.name} for ${arch}`);
    const papers = await withScratch('vouch', (scratch) =>
      makePapers({ project, target, keys, scratch, ...(builder !== undefined && { builder }) }),
    );
    session.progress.clear();
    writePapers(project, target, papers);
    const written = PAPER_KINDS.filter((kind) => papers[kind] !== undefined);
    vouched.push({
      name: spec.name,
      arch,
      papers: Object.fromEntries(written.map((kind) => [kind, paperPath(target, kind)])),
    });
    session.say(`${session.paint.bold(spec.name)}  ${arch}  ${session.paint.good('vouched for')}`);
    for (const kind of written)
      session.tell(`  ${session.paint.name(paperPath(target, kind))}  ${session.paint.dim(PAPERS[kind].title)}`);
  }
  session.document({ vouched, verified: [] });
  const [first] = functions;
  if (first !== undefined) session.next(`vouch --verify ${shellWord(first.name)}`, 'hold it to its papers');
  return EXIT.done;
}

async function signingKeys(files: readonly string[], session: Session): Promise<SigningKey[]> {
  const password = process.env[PASSWORD];
  const reading = {
    password: password === '' ? undefined : password,
    mend: `name an Ed25519 or P-256 key, and set ${PASSWORD} where it is locked`,
  };
  const keys: SigningKey[] = [];
  for (const shown of files) keys.push(await signingKeyFrom({ path: resolve(session.cwd, shown), shown }, reading));
  if (keys.filter(isSshKey).length < 2) return keys;
  throw new EmballageError('USAGE', {
    doing: 'reading the command line',
    where: '--key',
    expected: 'one SSH key at most: a signature of SSH is of one',
    found: `${String(keys.filter(isSshKey).length)} of them`,
    mend: 'name one, or keys in PEM, of which several can sign',
  });
}

async function verifyAll(args: Arguments, session: Session): Promise<ExitCode> {
  const words = texts(args, '_');
  const keys = await keysFrom(texts(args, 'key').map((shown) => ({ path: resolve(session.cwd, shown), shown })));
  const [first = ''] = words;
  const file = words.length === 1 ? await artifactWord(first, session) : undefined;
  const verified: Verified[] = [];
  if (file !== undefined) verified.push(await verifiedFile(file, keys, session));
  else {
    const project = await session.openProject();
    for (const target of targetsOf(selectFunctions(project.sheet, words)))
      verified.push(await verifiedFunction({ project, target, keys, isSent: args.sent === true }, session));
  }
  verified.forEach((one) => show(one, session));
  session.document({ vouched: [], verified });
  const fails = verified.find(({ holds }) => !holds);
  if (fails === undefined) session.next('ledger', 'see what was sent where');
  else if (file === undefined) session.next(`vouch ${shellWord(fails.name)}`, 'write its papers again');
  else session.next('vouch --help', 'read what papers are');
  return fails === undefined ? EXIT.done : EXIT.no;
}

function show({ name, arch, artifact, claims, holds }: Verified, session: Session): void {
  const { paint } = session;
  const how = holds ? paint.good('its papers hold') : paint.bad('its papers do not hold');
  session.say(`${paint.bold(name)}${arch === undefined ? '' : `  ${arch}`}  ${how}  ${paint.name(artifact)}`);
  for (const claim of claims) {
    const found = claim.found === undefined ? '' : paint.dim(`: ${claim.found}`);
    const line = `  ${markOf(claim, session)}  ${claim.what}${found}`;
    // What fails is a result.
    if (claim.holds === false) session.say(line);
    else session.tell(line);
  }
}

function markOf({ holds }: Claim, { paint }: Session): string {
  if (holds === 'unknown') return paint.doubt('unknown');
  return holds ? paint.good('holds  ') : paint.bad('fails  ');
}
