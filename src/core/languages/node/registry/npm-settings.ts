/**
 * What npm on this machine would ask: variables first, then `.npmrc` beside the packages, of the project, of the user, of
 * the machine and of npm itself (npm documentation, "npmrc"); where none says, npm is asked.
 */
import { readTextNow } from '../../../disk/to-read';
import { dirname, join } from 'node:path';
import { EmballageError } from '../../../base/errors';
import { nearestWord, printable } from '../../../base/text';
import type { Project } from '../../../project/targets';
import type { FunctionSpec } from '../../../sheet';
import { sheetSources, shownPath, type ChosenSource } from '../../../sources';
import { loginsOf } from '../../../toolchains/credentials';
import type { Machine } from '../../../toolchains/machine';
import { askProgram, NO_HOME, programsNamed } from '../../../toolchains/programs';
import { readNpmConfig, type NpmConfig, type NpmConfigFile } from './npm-config';
import { linesOfYarnrc, linesOfYarnrcYml } from './yarn-settings';

export interface NpmSettings extends NpmConfig {
  /** Folders of tarballs that the sheet names. */
  readonly folders: readonly ChosenSource[];
  /** What npm asks where nothing is configured; undefined where there is no npm. */
  ownDefault(): Promise<ChosenSource | undefined>;
}

const YARN_FILES = ['.yarnrc.yml', '.yarnrc'] as const;
const COUNTING = ['registry', 'cafile', 'proxy', 'https-proxy', 'noproxy'] as const;

/**
 * The registries and logins that count for packages of a lock.
 * @param folder in which the lock lies, relative to the project
 */
export function npmSettings(project: Project, spec: FunctionSpec, folder: string, machine: Machine): NpmSettings {
  const files = configFiles(project, folder, machine);
  const stated = sheetSources(project.root, spec.sources);
  const indexes = stated.filter(({ kind }) => kind === 'index');
  const logins = loginsOf(
    indexes.map(({ at }) => at),
    machine.credentials,
  );
  const config = readNpmConfig(files, logins);
  const bySheet = (name: string): ChosenSource | undefined => {
    const pinned = indexes.find(({ serves }) => serves?.some((pattern) => fits(pattern, name)));
    const found = pinned ?? indexes.find(({ serves }) => serves === undefined);
    return found === undefined ? undefined : { ...found, at: found.at.replace(/\/*$/, '/') };
  };
  return {
    ...config,
    notes: [...config.notes, ...unknownKeys(files)],
    registryFor: (name) => bySheet(name) ?? config.registryFor(name),
    folders: stated.filter(({ kind }) => kind === 'folder'),
    ownDefault: () => machine.once('npm default', () => askNpm(machine)),
  };
}

function fits(pattern: string, name: string): boolean {
  const parts = pattern.split('*').map((part) => part.replace(/[.+^${}()|[\]\\?]/g, '\\$&'));
  return new RegExp(`^${parts.join('.*')}$`).test(name);
}

function configFiles(project: Project, folder: string, machine: Machine): NpmConfigFile[] {
  const { variable, variables, home, searchPath } = machine;
  const setting = (name: string): string | undefined => {
    const wanted = `npm_config_${name}`;
    const found = Object.entries(variables()).find(([one]) => one.toLowerCase() === wanted);
    return found?.[1] === '' ? undefined : found?.[1];
  };
  const fromEnvironment = Object.entries(variables()).flatMap(([name, value]): NpmConfigFile[] => {
    const [, key] = /^npm_config_(.+)$/i.exec(name) ?? [];
    if (key === undefined || value === undefined || value === '') return [];
    // Keys that begin with `//` or `@` are kept as they are; in others a low line stands for a dash.
    const plain = /^(?:\/\/|@)/.test(key) ? key : key.toLowerCase().replaceAll('_', '-');
    return [{ text: `${plain}=${value}`, shown: name, isVariable: true, variable }];
  });
  const [npm] = programsNamed(/^npm$/, searchPath);
  const prefix = setting('prefix') ?? variable('PREFIX') ?? dirname(dirname(machine.self.path));
  const near = [...new Set([folder, ''])].map((one) => join(project.root, one));
  const paths = [
    ...near.flatMap((one) => [join(one, '.npmrc'), ...YARN_FILES.map((name) => join(one, name))]),
    ...YARN_FILES.map((name) => join(home, name)),
    setting('userconfig') ?? join(home, '.npmrc'),
    setting('globalconfig') ?? join(prefix, 'etc/npmrc'),
    '/etc/npmrc',
    ...(npm === undefined ? [] : [join(dirname(dirname(npm)), 'npmrc')]),
  ];
  return [
    ...fromEnvironment,
    ...paths.flatMap((path): NpmConfigFile[] => {
      try {
        const shown = path.startsWith(`${project.root}/`) ? path.slice(project.root.length + 1) : shownPath(path, home);
        return [{ text: asLines(path, readTextNow(path)), shown, variable }];
      } catch {
        // Most of them are not there.
        return [];
      }
    }),
  ];
}

function asLines(path: string, text: string): string {
  if (path.endsWith('.yarnrc.yml')) return linesOfYarnrcYml(text);
  return path.endsWith('.yarnrc') ? linesOfYarnrc(text) : text;
}

/** Keys that are nearly those that count. */
function unknownKeys(files: readonly NpmConfigFile[]): string[] {
  return files
    .filter(({ isVariable, shown }) => isVariable !== true && shown.endsWith('npmrc'))
    .flatMap(({ text, shown }) =>
      text.split(/\r?\n/).flatMap((line, i) => {
        const [, key] = /^\s*([a-z-]+)\s*=/i.exec(line) ?? [];
        if (key === undefined || COUNTING.some((one) => one === key)) return [];
        const near = nearestWord(key, COUNTING.slice(0, 2));
        return near === undefined
          ? []
          : [
              `${printable(shown)}:${String(i + 1)}: \`${printable(key)}\` means nothing to npm; \`${near}\` may be meant`,
            ];
      }),
    );
}

async function askNpm({ searchPath }: Machine): Promise<ChosenSource | undefined> {
  const [npm] = programsNamed(/^npm$/, searchPath);
  if (npm === undefined) return undefined;
  // None of the files of this machine, which have been read. npm refuses one file in two places.
  const nowhere = { npm_config_userconfig: '/nonexistent/user', npm_config_globalconfig: '/nonexistent/global' };
  const env = { PATH: searchPath, HOME: NO_HOME, npm_config_update_notifier: 'false', ...nowhere };
  const answer = (await askProgram(npm, ['config', 'get', 'registry'], env))?.trim() ?? '';
  return /^https?:\/\/\S+$/.test(answer)
    ? { kind: 'index', at: answer.replace(/\/*$/, '/'), why: 'npm’s own default' }
    : undefined;
}

/** @throws EmballageError where nobody says which registry serves a package */
export function noRegistry(doing: string): EmballageError {
  return new EmballageError('REQUIREMENTS_INVALID', {
    doing,
    expected: '`sources`, or a registry in `.npmrc`, since the lock does not say where the file is (`resolved`)',
    found: 'neither, and no npm here that could be asked',
    mend: 'write `registry=https://…` into the project’s `.npmrc`',
  });
}
