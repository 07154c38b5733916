import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, rmSync, utimesSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { folderWith, put } from '../../../../test/support/program';
import { machineMark } from '../../disk/running';
import { KINDS, StateFolder, type StateKind } from './state';
import { removeScratch, tidyKind, tidyState } from './tidy';

const DAY_MS = 24 * 3600 * 1000;
const SMALL: StateKind = { ...KINDS.artifacts, name: 'small', most: { things: 3, bytes: 100 } };

/** A state folder as it will be seen so many days from now: what is written now was then used long ago. */
function stateIn(days = 0, code = 'new'): StateFolder {
  const root = folderWith({});
  return new StateFolder({ root, code, caches: join(root, 'caches'), now: () => Date.now() + days * DAY_MS });
}

/** Puts files of a kind, the later ones used later. */
function fill(state: StateFolder, kind: StateKind, sizes: Readonly<Record<string, number>>, from = 10): void {
  const folder = state.folder(kind);
  mkdirSync(folder, { recursive: true });
  Object.entries(sizes).forEach(([name, size], i) => {
    put(folder, { [name]: Buffer.alloc(size) });
    const time = Date.now() / 1000 + from + i;
    utimesSync(join(folder, name), time, time);
  });
}

const left = (state: StateFolder, kind: StateKind): string[] => readdirSync(state.folder(kind)).sort();

describe('what is kept', () => {
  it('goes when there is more than it may be, the least recently used first, with the notes on it', () => {
    const state = stateIn();
    fill(state, SMALL, { a: 1, 'a.json': 1, b: 1, c: 1, 'c.json': 1, d: 1 });
    tidyKind(state, SMALL);
    expect(left(state, SMALL)).toEqual(['b', 'c', 'c.json', 'd']);
  });

  it('goes when it is larger than it may be, but for what was used last', () => {
    const state = stateIn();
    fill(state, SMALL, { a: 60, b: 60, c: 30 });
    tidyKind(state, SMALL);
    expect(left(state, SMALL)).toEqual(['b', 'c']);
    fill(state, SMALL, { huge: 1000 }, 20);
    tidyKind(state, SMALL);
    expect(left(state, SMALL)).toEqual(['huge']);
  });

  it('counts a folder with all that lies in it', () => {
    const state = stateIn();
    put(state.folder(SMALL), { 'one/deep/x': Buffer.alloc(90), two: Buffer.alloc(20) });
    const now = Date.now() / 1000 + 20;
    utimesSync(join(state.folder(SMALL), 'two'), now, now);
    tidyKind(state, SMALL);
    expect(left(state, SMALL)).toEqual(['two']);
  });

  it('is left alone in the folder of the user while another run may be at it', () => {
    const user: StateKind = { ...SMALL, of: 'user' };
    const files = { a: 60, b: 60, '.emballage-01234567-1-0-1.part': 1 };
    const state = stateIn();
    fill(state, user, files);
    tidyKind(state, user);
    expect(left(state, user)).toHaveLength(3);
    // A clock that is wrong by years says nothing about files.
    const astray = stateIn(700);
    fill(astray, user, files);
    tidyKind(astray, user);
    expect(left(astray, user)).toHaveLength(3);
    tidyKind(astray, user, () => Date.now() + 48 * 3600 * 1000);
    expect(left(astray, user)).toEqual(['b']);
  });

  it('loses what a process of this machine left there that has ended', () => {
    const user: StateKind = { ...SMALL, of: 'user' };
    const state = stateIn();
    const ended = spawnSync('true').pid;
    const name = (pid: number): string => `.emballage-${machineMark()}-${String(pid)}-0-1.part`;
    fill(state, user, { a: 60, [name(ended)]: 1, [name(process.pid)]: 1 });
    tidyKind(state, user);
    expect(left(state, user)).toEqual([name(process.pid), 'a']);
    put(state.caches, { [name(ended)]: '' });
    tidyState(state, new Set());
    expect(existsSync(join(state.caches, name(ended)))).toBe(false);
  });
});

describe('the state folder', () => {
  const filled = (days: number): StateFolder => {
    const state = stateIn(days);
    const codes = ['code-1', 'code-2', 'code-3', state.codeFolder];
    for (const name of codes) mkdirSync(join(state.path, name, 'sheets'), { recursive: true });
    codes.forEach((name, i) => utimesSync(join(state.path, name), i, i));
    put(state.path, { 'store/old-artifact': '', 'uploads/ab': '', 'build.lock/x': '' });
    return state;
  };

  it('loses what earlier versions made and what nobody knows, and keeps what others may use', () => {
    const state = filled(2);
    tidyState(state, new Set());
    expect(readdirSync(state.path).sort()).toEqual(
      ['uploads', 'build.lock', 'code-2', 'code-3', state.codeFolder, 'tidied'].sort(),
    );
    // Not again on the same day.
    put(state.path, { 'store/old-artifact': '' });
    tidyState(state, new Set());
    expect(existsSync(join(state.path, 'store'))).toBe(true);
  });

  it('loses what stopped runs left, and not what others are at', () => {
    const state = stateIn(1);
    const own = state.scratch('base');
    const stopped = own.replace(/\d+-(?=[0-9a-f]{8}-base$)/, '4194999-');
    const elsewhere = stopped.replace(/[0-9a-f]{8}-base$/, '00000000-base');
    for (const folder of [own, stopped, elsewhere]) mkdirSync(folder, { recursive: true });
    removeScratch(state);
    expect([existsSync(own), existsSync(stopped), existsSync(elsewhere)]).toEqual([true, false, true]);
    for (const folder of [own, elsewhere]) rmSync(folder, { recursive: true });
    removeScratch(state);
    expect(existsSync(dirname(own))).toBe(false);
  });
});
