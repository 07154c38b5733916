/** What a run of a function loaded, and what it missed because it was trimmed. */
import { printable, count } from '../../core/base/text';
import { formatSize } from '../../core/base/units';
import type { NotedModules } from '../../core/languages';
import type { Waybill } from '../../core/waybill';
import { lines } from './error';
import type { Paint } from './paint';

export interface RunRecord {
  /** Modules of the artifact that were loaded, and those that were not, with the bytes of each kind. */
  readonly loaded: readonly string[];
  readonly loadedBytes: number;
  readonly idle: readonly string[];
  readonly idleBytes: number;
  /** Names of modules that were asked for and are not packed. */
  readonly asked: readonly string[];
}

/** A module that was asked for and is not there because it was trimmed. */
export interface CutModule {
  readonly module: string;
  readonly path: string;
  readonly package: string;
  readonly by: string;
}

const SHOWN = 10;

/** What was loaded, and what was asked for and is nowhere. */
export interface Noted {
  readonly seen: readonly string[];
  readonly asked: readonly string[];
}

/** What calls loaded of an artifact, and what they asked for that is not in it. */
export function recordOf(waybill: Waybill, { seen, asked }: Noted, notes: NotedModules): RunRecord {
  const loaded = new Set(seen);
  const modules = waybill.files.filter(({ path }) => notes.isModule(path));
  const bytes = (isLoaded: boolean): number =>
    modules.filter(({ path }) => loaded.has(path) === isLoaded).reduce((sum, { size }) => sum + size, 0);
  return {
    loaded: [...seen],
    loadedBytes: bytes(true),
    idle: modules.map(({ path }) => path).filter((path) => !loaded.has(path)),
    idleBytes: bytes(false),
    asked: [...asked],
  };
}

/** Modules that were taken out and that calls asked for, each with the pattern that keeps it. */
export function cutModules(waybill: Waybill, asked: readonly string[], notes: NotedModules): CutModule[] {
  const trimmed = new Map(waybill.trimmed.map((one) => [notes.nameOf(one.path), one]));
  return asked.flatMap((module) => {
    const cut = trimmed.get(module);
    return cut === undefined ? [] : [{ module, path: cut.path, package: cut.package, by: cut.by }];
  });
}

/** What calls loaded, for people. */
export function recordText(record: RunRecord, { paint, verbose }: { paint: Paint; verbose: boolean }): string {
  const shown = verbose ? record.idle : record.idle.slice(0, SHOWN);
  const left = record.idle.length - shown.length;
  return [
    `\n  loaded    ${count(record.loaded.length, 'module')}, ${formatSize(record.loadedBytes)}`,
    `  idle      ${count(record.idle.length, 'module')}, ${formatSize(record.idleBytes)}: packed, but not loaded by these calls`,
    ...shown.map((path) => `            ${paint.dim(printable(path))}`),
    ...(left > 0 ? [paint.dim(`            … and ${String(left)} more (--verbose)`)] : []),
  ].join('\n');
}

/** A finding for each module that trimming took away, with the line that brings it back. */
export function cutText(cut: readonly CutModule[], paint: Paint): string {
  const findings = cut
    .map(({ module, path, package: owner, by }) =>
      [
        `  ${paint.bad('stop')}  ${paint.bold('deps/trimmed-away')}  ${paint.name(printable(path))}`,
        ...lines(
          paint,
          {
            expected: `\`${printable(module)}\`, which was asked for`,
            found: `none: trimming took it out of ${printable(owner)} (${by})`,
            mend: `add to the function: \`keep: ["${printable(path)}"]\``,
          },
          '        ',
        ),
      ].join('\n'),
    )
    .join('\n');
  return `\n${findings}`;
}
