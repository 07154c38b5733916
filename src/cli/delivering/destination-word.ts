/** A destination that a command line names: by its name in the sheet, or by its file. */
import { resolve } from 'node:path';
import { EmballageError } from '../../core/base/errors';
import { nearestWord, printable } from '../../core/base/text';
import { readTextFile } from '../../core/disk/read-text';
import { KNOWN } from '../../core/known';
import type { Project } from '../../core/project/targets';
import { MAX_YAML_BYTES, readDestination, type Destination } from '../../core/sheet';
import type { Session } from '../session/session';

/** @param option where it stands: `--at` */
export async function findDestination(
  word: string | undefined,
  session: Session,
  option = '--at',
): Promise<Destination> {
  const doing = 'choosing the destination';
  if (word !== undefined && /[./]/.test(word)) return destinationFile(word, session);
  const { sheet } = await sheetOf(session, word, option);
  const known = Object.keys(sheet.destinations);
  const [only] = known.length === 1 ? known : [];
  const name = word ?? only;
  const destination = name === undefined ? undefined : sheet.destinations[name];
  if (destination !== undefined) return destination;
  const near = word === undefined ? undefined : nearestWord(word, known);
  throw new EmballageError('USAGE', {
    doing,
    where: option,
    expected: `a destination: ${known.join(', ')}, or the path of a destination file`,
    found: word === undefined ? 'none, and the sheet has several' : `\`${printable(word)}\``,
    mend: near === undefined ? `add ${option} DESTINATION` : `did you mean \`${option} ${near}\`?`,
  });
}

async function destinationFile(path: string, session: Session): Promise<Destination> {
  const content = readTextFile(resolve(session.cwd, path), {
    doing: 'reading the destination',
    shown: path,
    maxBytes: MAX_YAML_BYTES,
    mendMissing: 'correct the path',
  });
  const { destination, problems } = await readDestination(content, path, KNOWN);
  if (destination !== undefined) return destination;
  throw new EmballageError('SHEET_INVALID', {
    doing: 'reading the destination',
    found: `${String(problems.length)} mistakes`,
    mend: 'mend what is listed',
    problems,
  });
}

/** Without a sheet there is nothing that a name could be looked up in. */
async function sheetOf(session: Session, word: string | undefined, option: string): Promise<Project> {
  try {
    return await session.openProject();
  } catch (error) {
    if (!(error instanceof EmballageError) || error.code !== 'FILE_MISSING') throw error;
    throw new EmballageError('USAGE', {
      doing: 'choosing the destination',
      ...(word !== undefined && { where: `${option} ${printable(word)}` }),
      expected: `a sheet with destinations, or \`${option}\` with the file of one`,
      found: 'no sheet here or above',
      mend: `name the file of the destination: \`${option} destinations/NAME.yaml\``,
    });
  }
}
