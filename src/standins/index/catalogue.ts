/** What a stand-in index has to offer: wheels made of project folders, and files that lie there ready. */
import { createHash } from 'node:crypto';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { EmballageError } from '../../core/base/errors';
import { printable } from '../../core/base/text';
import { makeTarball, type MadeTarball } from '../../core/languages/node/packages';
import type { JavaRuntime } from '../../core/languages/jvm/run/machines';
import { makeWheels, parseWheelName } from '../../core/languages/python';
import { MavenProjects, type MavenCatalogue } from '../../core/languages/jvm/repository/pages';
import type { NpmCatalogue } from '../../core/languages/node/registry/pages';

export interface OfferedFile {
  readonly file: string;
  readonly bytes: Buffer;
  readonly sha256: string;
  readonly metadata?: string;
  readonly requiresPython?: string;
  readonly yanked?: string;
}

export interface Catalogue {
  /** Wheels by normalised project name. */
  readonly wheels: ReadonlyMap<string, readonly OfferedFile[]>;
  readonly npm: NpmCatalogue;
  readonly maven: MavenCatalogue;
}

/**
 * @param folder absolute path; each folder in it with a `pyproject.toml`, a `package.json` or a `pom.xml` is a project,
 * each wheel is offered as it is
 * @param java what compiles projects with a `pom.xml`; without it their JARs are not offered
 */
export function readCatalogue(folder: string, shown: string, java?: JavaRuntime): Catalogue {
  const found = new Map<string, OfferedFile[]>();
  const npm = new Map<string, MadeTarball[]>();
  const maven = new MavenProjects(java);
  const add = (name: string, file: Omit<OfferedFile, 'sha256'>): void => {
    const sha256 = createHash('sha256').update(file.bytes).digest('hex');
    found.set(name, [...(found.get(name) ?? []), { ...file, sha256 }]);
  };
  let names: string[];
  try {
    names = readdirSync(folder).sort();
  } catch (error) {
    throw new EmballageError(
      'FILE_MISSING',
      {
        doing: 'reading what the index is to offer',
        where: printable(shown),
        expected: 'a folder of projects or wheels',
        found: 'no folder that can be read',
        mend: 'name the folder',
      },
      error,
    );
  }
  for (const name of names) {
    const wheel = parseWheelName(name);
    if (wheel !== undefined) add(wheel.name, { file: name, bytes: readFileSync(join(folder, name)) });
    else if (existsSync(join(folder, name, 'pyproject.toml')))
      for (const made of makeWheels(join(folder, name), join(shown, name))) add(made.name, made);
    else if (existsSync(join(folder, name, 'pom.xml'))) maven.add(join(folder, name), join(shown, name));
    else if (existsSync(join(folder, name, 'package.json'))) {
      const made = makeTarball(join(folder, name), join(shown, name));
      npm.set(made.name, [...(npm.get(made.name) ?? []), made]);
    }
  }
  return { wheels: found, npm, maven };
}
