/** `survey`: looks through a folder for functions and proposes a sheet, or says what of its sheet no longer fits. */
import { KNOWN } from '../../core/known';
import { existsSync, statSync } from 'node:fs';
import { basename, join, relative, resolve } from 'node:path';
import { EmballageError } from '../../core/base/errors';
import { count, printable } from '../../core/base/text';
import { writeInProject } from '../../core/disk/write';
import {
  compareWithSheet,
  editSheet,
  refuseExisting,
  surveyFolder,
  type Compared,
  type Drift,
  type Proposal,
  type SurveyOptions,
} from '../../core/pipeline/survey';
import { SHEET_NAME } from '../../core/project/open-project';
import type { Project } from '../../core/project/targets';
import type { Session } from '../session/session';
import { shellWord } from '../session/session';
import { EXIT, text, texts, type CommandModule, type ExitCode } from './command';

export const command: CommandModule = {
  about:
    'Looks through a folder and everything below it, but for what ignore files leave out, and proposes a packing sheet\n' +
    'with a reason for each line, and a destination to fill in. Where there is a sheet, says instead what no longer fits\n' +
    'it: functions that it does not have, entries that are gone, settings that came or went. Nothing is run, and nothing\n' +
    'is written without --write.',
  examples: [
    ['', 'what this folder holds, or how it drifted from its sheet'],
    ['functions --write', 'keep what is proposed for a folder'],
  ],
  options: {
    write: {
      type: 'boolean',
      default: false,
      describe: 'keep the sheet and the destination, or change the sheet in place',
    },
  },
  async run(args, session) {
    const [named, ...rest] = texts(args, '_');
    if (rest.length > 0)
      throw new EmballageError('USAGE', {
        doing: 'reading the command line',
        expected: 'at most one folder',
        found: count(rest.length + 1, 'word'),
        mend: 'name one folder; everything below it is looked through',
      });
    const sheet = text(args, 'sheet');
    const folder = named === undefined ? undefined : openFolder(resolve(session.cwd, named), named);
    const project = await findProject(session, folder, sheet);
    const isWriting = args.write === true;
    if (project !== undefined) return compare(project, session, isWriting);
    return propose(folder ?? session.cwd, session, isWriting);
  },
};

function openFolder(path: string, named: string): string {
  if (existsSync(path) && statSync(path).isDirectory()) return path;
  throw new EmballageError('USAGE', {
    doing: 'surveying',
    where: printable(named),
    expected: 'a folder',
    found: existsSync(path) ? 'something else' : 'nothing there',
    mend: 'name the folder that holds the functions',
  });
}

/** The project of the folder that was named, or of the one that the command runs in; undefined where there is no sheet. */
async function findProject(
  session: Session,
  folder: string | undefined,
  sheet: string | undefined,
): Promise<Project | undefined> {
  if (sheet !== undefined) return session.openProject();
  if (folder !== undefined) {
    const path = join(folder, SHEET_NAME);
    return existsSync(path) ? session.openProject(path) : undefined;
  }
  return session.hasSheet() ? session.openProject() : undefined;
}

function optionsFor(root: string, session: Session): SurveyOptions {
  return {
    root,
    machine: session.machine(),
    known: KNOWN,
    onFolders: (folders) => session.progress.show(`looking through ${count(folders, 'folder')}`),
    onLanguage: (title) => session.progress.show(`looking for functions: ${title}`),
  };
}

async function propose(root: string, session: Session, isWriting: boolean): Promise<ExitCode> {
  const proposal = await surveyFolder(optionsFor(root, session));
  session.progress.clear();
  const shown = (path: string): string => relative(session.cwd, join(root, path)) || path;
  const paths = proposal.texts.map(({ path }) => path);
  if (isWriting) {
    refuseExisting(root, paths);
    // The sheet last: it names the other.
    for (const { path, text: content } of [...proposal.texts].reverse())
      writeInProject(join(root, path), content, shown(path));
  }
  session.document({
    status: 'proposed',
    folders: proposal.folders,
    files: proposal.files,
    notes: proposal.notes,
    functions: proposal.functions.map((one) => ({
      name: one.name,
      source: one.source === '' ? '.' : one.source,
      runtime: one.runtime.value,
      artifact: one.form.value,
      entries: one.entries.map(({ entry, why }) => ({ entry, why })),
      lacking: one.lacking,
    })),
    texts: proposal.texts,
    written: isWriting ? paths : [],
  });
  if (session.json) return proposal.functions.length === 0 ? EXIT.no : EXIT.done;
  const { proposalText, surveySummary } = await import('../views/survey-text');
  if (proposal.functions.length > 0) session.say(proposalText(proposal, isWriting, shown, session.paint));
  session.tell(surveySummary(proposal, nothingOr(proposal), session));
  if (proposal.functions.length === 0) session.next('rules', 'see what is looked for once there is a sheet');
  else if (isWriting) session.next(inFolder('lock', root, session), 'settle what the functions need');
  else
    session.next(
      `survey${relative(session.cwd, root) === '' ? '' : ` ${shellWord(relative(session.cwd, root))}`} --write`,
      'keep this',
    );
  return proposal.functions.length === 0 ? EXIT.no : EXIT.done;
}

function nothingOr({ functions }: Proposal): string {
  return functions.length === 0 ? 'nothing that looks like a function' : count(functions.length, 'function');
}

/** A command for the sheet of a folder that may not be this one. */
function inFolder(args: string, root: string, session: Session): string {
  const away = relative(session.cwd, root);
  return away === '' ? args : `${args} --sheet ${shellWord(join(away, SHEET_NAME))}`;
}

async function compare(project: Project, session: Session, isWriting: boolean): Promise<ExitCode> {
  const [sheet = SHEET_NAME] = project.files;
  const compared = await compareWithSheet(optionsFor(project.root, session), project);
  session.progress.clear();
  const shown = relative(session.cwd, join(project.root, sheet));
  const {
    text: edited,
    made,
    left,
  } = isWriting ? await editSheet(project, sheet, compared.drifts) : { text: '', made: [], left: compared.drifts };
  if (made.length > 0) writeInProject(join(project.root, sheet), edited, shown);
  session.document({
    status: 'compared',
    folders: compared.folders,
    files: compared.files,
    notes: compared.notes,
    sheet: shown,
    drifts: compared.drifts.map((drift) => {
      const { edit, ...one } = drift;
      return { ...one, inPlace: edit !== undefined, made: made.includes(drift) };
    }),
    written: made.length > 0 ? [shown] : [],
  });
  const isOpen = left.some(({ level }) => level === 'stop');
  if (session.json) return isOpen ? EXIT.no : EXIT.done;
  const { driftText, surveySummary } = await import('../views/survey-text');
  const result = driftText({ made, left }, session.paint);
  if (result !== '') session.say(result);
  session.tell(surveySummary(compared, outcome(compared, shown, made), session));
  nextAfter(compared, { made, left }, sheet, session);
  return isOpen ? EXIT.no : EXIT.done;
}

function outcome({ functions, drifts }: Compared, sheet: string, made: readonly Drift[]): string {
  if (drifts.length === 0) return `${sheet} fits: ${count(functions, 'function')}, nothing drifted`;
  return made.length === 0
    ? `${count(drifts.length, 'thing')} drifted from ${sheet}`
    : `${count(made.length, 'change')} made in ${sheet}, ${String(drifts.length - made.length)} left`;
}

function nextAfter(
  { drifts }: Compared,
  { made, left }: { readonly made: readonly Drift[]; readonly left: readonly Drift[] },
  sheet: string,
  session: Session,
): void {
  if (made.length > 0) session.next('lock', 'settle what the functions need now');
  else if (left.some(({ edit }) => edit !== undefined)) session.next('survey --write', 'make these changes in place');
  else if (drifts.some(({ level }) => level !== 'note'))
    session.next('survey', `look again, after mending ${basename(sheet)}`);
  else session.next('build', 'make the artifacts');
}
