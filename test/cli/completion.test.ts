/** Completion, in the shells themselves. */
import { spawnSync } from 'node:child_process';
import { chmodSync, symlinkSync } from 'node:fs';
import { join } from 'node:path';
import { itWith } from '../support/needs';
import { environment, folderWith, PROGRAM, project, run } from '../support/program';

const proposed = (root: string, ...words: readonly string[]): string[] =>
  run(root, ['completion', 'propose', '--', ...words])
    .stdout.split('\n')
    .filter((line) => line !== '');

/** A folder for the PATH in which the program has its name. */
function installed(): string {
  const folder = folderWith({});
  symlinkSync(PROGRAM, join(folder, 'emballage'));
  chmodSync(PROGRAM, 0o755);
  return folder;
}

function inShell(shell: string, args: readonly string[], root: string): string {
  const env = { ...environment(root), PATH: `${installed()}:${process.env.PATH ?? ''}`, HOME: root };
  const { stdout, stderr } = spawnSync(shell, args, { cwd: root, env, encoding: 'utf8' });
  return stdout + stderr;
}

describe('completion', () => {
  const root = project({ 'horn.mjs': 'export const sound = () => 1;\n' });

  it('proposes commands, options, choices, and names of the project', () => {
    expect(proposed(root, 'bu')).toEqual([
      'build\tmakes the artifacts and their waybills; only what changed is made again',
    ]);
    expect(proposed(root, 'build', '')).toEqual(['horn\tnode 20, zip']);
    expect(proposed(root, 'build', 'horn', '')).toEqual([]);
    expect(proposed(root, 'check', '--form')).toEqual(['--format\twhat to write on standard output']);
    expect(proposed(root, 'check', '--format', 's')).toEqual(['sarif\t']);
    expect(proposed(root, 'check', 'a.zip', '--at', '')).toEqual(['slipway\tslipway.yaml']);
    expect(proposed(root, 'check', '')).toEqual(['horn\tnode 20, zip', ':files\t']);
    expect(proposed(root, 'rules', 'size/pa')).toEqual(['size/packed\tThe artifact file is no bigger than allowed']);
    expect(proposed(root, 'stand-in', 'r')).toEqual(['registry\t', ':files\t']);
    expect(proposed(root, 'demo', '--into', '')).toEqual([':files\t']);
    expect(proposed(root, 'no-such', '')).toEqual([]);
    expect(proposed(folderWith({}), 'build', '')).toEqual([]);
    expect(run(root, ['completion', 'tcsh'])).toMatchObject({ status: 2 });
  });

  it('works in bash', () => {
    const script =
      'source <(emballage completion bash); ask() { COMP_WORDS=("$@"); COMP_CWORD=$(($#-1)); _emballage; printf "%s\\n" "${COMPREPLY[@]}"; }; ask emballage build h; ask emballage check sli; ask emballage chec';
    expect(inShell('bash', ['-c', script], root).trim().split('\n')).toEqual(['horn', 'slipway.yaml', 'check']);
  });

  itWith('fish')('works in fish', () => {
    const script =
      'emballage completion fish | source; complete -C "emballage build h"; complete -C "emballage check sli"';
    expect(inShell('fish', ['--no-config', '-c', script], root).trim().split('\n')).toEqual([
      'horn\tnode 20, zip',
      'slipway.yaml',
    ]);
  });

  itWith('zsh')('works in zsh', () => {
    const script =
      'compdef() { }; _describe() { print -l -- "${(@)proposed}" }; _files() { print files }; source <(emballage completion zsh); words=(emballage build h); CURRENT=3; _emballage; words=(emballage check ""); CURRENT=3; _emballage';
    expect(inShell('zsh', ['-f', '-c', script], root).trim().split('\n')).toEqual([
      'horn:node 20, zip',
      'files',
      'horn:node 20, zip',
    ]);
  });
});
