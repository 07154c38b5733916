/** A stand-in package index for tests, run by the built program in a process of its own. */
import { spawn, type ChildProcess } from 'node:child_process';
import { createInterface } from 'node:readline';
import { environment, folderWith, PROGRAM, type Files } from './program';

export interface TestIndex {
  readonly url: string;
  /** Requests so far, `GET /simple/levels/`. */
  readonly requests: string[];
}

const running: ChildProcess[] = [];
afterAll(() => running.splice(0).forEach((child) => child.kill('SIGKILL')));

/** Starts an index over a folder and waits until it listens. */
export async function startTestIndex(folder: string, options: readonly string[] = []): Promise<TestIndex> {
  const args = [PROGRAM, 'stand-in', 'index', folder, '--port', '0', '--verbose', '--no-color', ...options];
  const child = spawn(process.execPath, args, { env: environment(folder), stdio: ['ignore', 'pipe', 'pipe'] });
  running.push(child);
  const requests: string[] = [];
  createInterface({ input: child.stderr }).on('line', (line) => requests.push(line));
  const url = await new Promise<string>((resolve, reject) => {
    createInterface({ input: child.stdout }).on('line', (line) => {
      const [, found] = / at (http:\S+)/.exec(line) ?? [];
      if (found !== undefined) resolve(found);
    });
    child.once('exit', () => reject(new Error(`the index ended: ${requests.join('\n')}`)));
  });
  return { url, requests };
}

/** A project for the index: name, version, what it asks for, and its modules. */
export function packageFiles(
  name: string,
  version: string,
  modules: Readonly<Record<string, string>>,
  more: { readonly requires?: readonly string[]; readonly toml?: string; readonly python?: string } = {},
): Files {
  const folder = `${name}-${version}`;
  const toml = [
    '[project]',
    `name = "${name}"`,
    `version = "${version}"`,
    // One that asks for nothing, so that checks have nothing to say of it.
    'license = "0BSD"',
    ...(more.python === undefined ? [] : [`requires-python = "${more.python}"`]),
    `dependencies = ${JSON.stringify(more.requires ?? [])}`,
    more.toml ?? '',
  ];
  return {
    [`${folder}/pyproject.toml`]: `${toml.join('\n')}\n`,
    ...Object.fromEntries(Object.entries(modules).map(([path, code]) => [`${folder}/src/${path}`, code])),
  };
}

/** A folder of such projects. */
export function packageFolder(...packages: readonly Files[]): string {
  return folderWith(Object.assign({}, ...packages) as Files);
}

/** A project with one Python function `intake`. */
export function pythonProject(
  source: Files,
  keys: Readonly<Record<string, unknown>> = {},
  more: Files = {},
  runtime: Readonly<Record<string, unknown>> = { glibc: '2.36' },
): string {
  const spec = {
    source: 'src',
    runtime: 'python 3.11',
    entry: 'intake.py#receive',
    artifact: 'zip',
    arch: ['x86_64'],
    ...keys,
  };
  const sheet = {
    project: 'fernhaven-tides',
    destinations: { slipway: 'slipway.yaml' },
    defaults: { destination: 'slipway' },
    functions: { intake: spec },
  };
  const destination = {
    destination: 'slipway',
    arch: ['x86_64', 'arm64'],
    accepts: { zip: { packed: '1 MiB' } },
    runtimes: { 'python 3.11': runtime, 'python 3.9': { glibc: '2.31' } },
    entry: { python: '{module}:{member}' },
  };
  const below = Object.fromEntries(Object.entries(source).map(([path, content]) => [`src/${path}`, content]));
  return folderWith({
    'emballage.yaml': JSON.stringify(sheet, null, 1),
    'slipway.yaml': JSON.stringify(destination),
    ...below,
    ...more,
  });
}

export const INTAKE =
  'from levels import mean\n\n\ndef receive(event, context):\n    return {"mean": mean(event["data"])}\n';
export const LEVELS = 'def mean(some):\n    return sum(some) / len(some)\n';
