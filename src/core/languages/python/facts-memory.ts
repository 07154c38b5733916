/** Facts of Python modules by the digest of the file: parsing is the slow part of tracing, and packages do not change. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { writeWhole } from '../../disk/write';
import { readModuleFacts, type ModuleFacts } from '.';
import { stateFolder, type Project } from '../../project/targets';

/** The facts, where they are known. */
export function knownFacts(project: Pick<Project, 'root'>, sha256: string): ModuleFacts | undefined {
  try {
    return JSON.parse(readFileSync(pathOf(project, sha256), 'utf8')) as ModuleFacts;
  } catch {
    // Not read yet, or not whole: it is read again.
    return undefined;
  }
}

/** The facts, read where they are not known, and remembered. */
export function factsFor(project: Pick<Project, 'root'>, sha256: string, read: () => string): ModuleFacts {
  const known = knownFacts(project, sha256);
  if (known !== undefined) return known;
  const facts = readModuleFacts(read());
  const path = pathOf(project, sha256);
  writeWhole(path, JSON.stringify(facts), path);
  return facts;
}

function pathOf(project: Pick<Project, 'root'>, sha256: string): string {
  return join(stateFolder(project), 'facts', `${sha256}.json`);
}
