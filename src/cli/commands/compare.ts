/** `compare`: what differs between two things, in the terms of their formats, down to the cause. */
import { resolve } from 'node:path';
import { EmballageError } from '../../core/base/errors';
import { count } from '../../core/base/text';
import { compare, compareLocks, type Comparison } from '../../core/pipeline/compare';
import { artifactPath, selectFunction } from '../../core/project/targets';
import { ARCHITECTURES } from '../../core/sheet';
import { artifactWord } from '../artifact-word';
import { chooseArch } from '../calling/calling';
import { isLockWord, lockSide } from '../lock-word';
import { withScratch } from '../session/scratch';
import { sentSide } from '../delivering/sent-side';
import { shellWord, type Session } from '../session/session';
import { compareMarkdown, compareText } from '../views/compare-text';
import { EXIT, text, texts, type Arguments, type CommandModule } from './command';

export const command: CommandModule = {
  about:
    'Tells what differs between two artifacts, files or folders, in the terms of their formats: entries that came, went,\n' +
    'moved or changed, into archives within archives, classes by their members, executables by their sections, images by\n' +
    'their layers, texts by lines, JSON and YAML by paths. Where only packaging differs, it tells the likely cause. A word is\n' +
    'a path, the name of a function, or a lock, also one at a revision of version control: `emballage.lock@HEAD~1`. A\n' +
    'function by itself is held against what was last sent. The answer is no (exit code 1) when the bytes differ.',
  examples: [
    ['other.zip surge-alert', 'what differs between an archive and what was built'],
    ['emballage.lock@HEAD emballage.lock', 'which packages changed since the last commit'],
  ],
  options: {
    arch: {
      choices: ARCHITECTURES,
      requiresArg: true,
      describe: 'which artifact of a function; this machine’s otherwise',
    },
    format: {
      choices: ['text', 'markdown'],
      default: 'text',
      requiresArg: true,
      describe: 'what to write on standard output; `markdown` is for a review',
    },
  },
  async run(args, session) {
    const words = texts(args, '_');
    const [a, b] = words;
    if (a === undefined || words.length > 2)
      throw new EmballageError('USAGE', {
        doing: 'reading the command line',
        expected: 'two things to compare: `compare A B`; or a function, which is compared with what was last sent',
        found: count(words.length, 'word'),
        mend: 'name two paths, functions or locks',
      });
    const comparison = await withScratch('compare', (scratch) => compareWords(a, b, args, session, scratch));
    session.document({ ...comparison });
    if (text(args, 'format') === 'markdown') session.say(compareMarkdown(comparison));
    else {
      session.say(compareText(comparison, session));
      next(comparison, session);
    }
    return comparison.verdict === 'same-bytes' ? EXIT.done : EXIT.no;
  },
};

async function compareWords(
  a: string,
  b: string | undefined,
  args: Arguments,
  session: Session,
  scratch: string,
): Promise<Comparison> {
  if (isLockWord(a) && b !== undefined && isLockWord(b))
    return compareLocks(await lockSide(a, session), await lockSide(b, session));
  const first = await side(a, args, session);
  if (b !== undefined) return compare(first, await side(b, args, session));
  return compare(await sentSide(a, text(args, 'arch'), session, scratch), first);
}

/** A path, or the artifact of a function. */
async function side(word: string, args: Arguments, session: Session) {
  const file = await artifactWord(word, session);
  if (file !== undefined) return { path: resolve(session.cwd, file), shown: file };
  const project = await session.openProject();
  const spec = selectFunction(project.sheet, word);
  const shown = artifactPath({ spec, arch: chooseArch(spec, text(args, 'arch')) });
  return { path: resolve(project.root, shown), shown };
}

function next({ verdict, a, b }: Comparison, session: Session): void {
  if (verdict === 'same-content') session.next('prove', 'see whether builds here come out the same');
  else if (a.as === 'lock') session.next('build', 'make what is locked now');
  else if (verdict === 'differs' && /archive|image|ELF/.test(b.as))
    session.next(`weigh ${shellWord(b.shown)} --over ${shellWord(a.shown)}`, 'see what that weighs');
}
