/** How the calls of `try` read. */
import { printable } from '../../core/base/text';
import { formatSize, formatTime } from '../../core/base/units';
import type { Explained } from '../../core/languages';
import { parseExact, writeExact, type Shape } from '../../core/events';
import { statusOf, type CallReport, type Failure, type HostPlan } from '../../standins/host';
import { lines } from './error';
import { explainFailure } from './failure';
import type { Paint } from './paint';

export interface CallTextOptions {
  readonly paint: Paint;
  readonly quiet: boolean;
  readonly verbose: boolean;
  /** What a failure may have to do with its event. */
  readonly guess?: string;
}

type ShownPlan = Pick<HostPlan, 'file' | 'run' | 'shape'>;

const SHOWN_LOG_LINES = 12;
const SHOWN_STACK_LINES = 6;
const SHOWN_RESULT = 4000;

/** One call, for people. */
export function callText(report: CallReport, plan: ShownPlan, options: CallTextOptions): string {
  const { paint } = options;
  const times = report.cold
    ? `cold start ${formatTime(report.startMs)}, call ${formatTime(report.callMs)}`
    : `call ${formatTime(report.callMs)}`;
  const verdict = report.answer.kind === 'answered' ? paint.good('answered') : paint.bad('failed');
  const parts = [`  ${verdict}  ${paint.name(report.event)}  ${paint.dim(times)}`];
  if (report.answer.kind === 'answered')
    parts.push(
      ...(plan.shape === undefined ? [] : refusalLines(report.answer.json, plan.shape, paint)),
      ...resultLines(report.answer.json, report.answer.nothing, paint, options.verbose),
    );
  else parts.push(...failureLines(report.answer.failure, plan, options));
  if (!options.quiet) parts.push(...logLines(report, options));
  return parts.join('\n');
}

/** One line on all calls: cold start, later calls, peak memory. */
export function summaryText(reports: readonly CallReport[], plan: Pick<HostPlan, 'memoryBytes'>, paint: Paint): string {
  const good = reports.filter((report) => report.answer.kind === 'answered');
  const later = good.filter((report) => !report.cold).map((report) => report.callMs);
  const [cold] = reports.filter((report) => report.cold);
  const peak = Math.max(0, ...reports.map((report) => report.peakBytes));
  const average =
    later.length === 0 ? 'none' : `${formatTime(later.reduce((a, b) => a + b, 0) / later.length)} on average`;
  return paint.dim(
    `\n${String(good.length)} of ${String(reports.length)} answered; cold start ${cold === undefined ? 'none' : formatTime(cold.startMs + cold.callMs)}, ` +
      `later calls ${average}, peak memory ${formatSize(peak)} of ${formatSize(plan.memoryBytes)}`,
  );
}

/** Statuses from 400 to 499 say that the request is at fault: the event may be meant so, or not. */
function refusalLines(json: string, shape: Shape, paint: Paint): string[] {
  const status = statusOf(json, shape) ?? 0;
  return status < 400 ? [] : [`    ${paint.doubt(`status  ${String(status)}: it refuses the request`)}`];
}

/** Nothing holds it back: what that means for whoever calls it. */
export function unheldText({ nothing }: { readonly nothing: string }): string {
  return `nothing holds the function back here (${printable(nothing)}): it can read and write what you can`;
}

/** It was asked to end, and did not. */
export function unendedText({ calls }: Pick<HostPlan, 'calls'>, paint: Paint): string {
  const result = lines(paint, {
    expected: `it to end within ${formatTime(calls.stopMs)} of SIGTERM, as the host asks it to`,
    found: 'it still ran, and was killed',
    mend: 'handle SIGTERM: answer what has begun, then end',
  });
  return ['', `  ${paint.bad('stop')}`, ...result].join('\n');
}

function resultLines(json: string, nothing: boolean, paint: Paint, whole: boolean): string[] {
  if (nothing) return [`    ${paint.dim('result')}  nothing`];
  const text = writeExact(parseExact(json), 2);
  const shown =
    whole || text.length <= SHOWN_RESULT
      ? text
      : `${text.slice(0, SHOWN_RESULT)}\n… (--verbose shows all ${String(text.length)} characters)`;
  return shown.split('\n').map((line, i) => `    ${i === 0 ? paint.dim('result') : '      '}  ${printable(line)}`);
}

function logLines(report: CallReport, { paint, verbose }: CallTextOptions): string[] {
  const { lines: all, droppedBytes } = report.log;
  const shown = verbose ? all : all.slice(-SHOWN_LOG_LINES);
  const left = all.length - shown.length;
  return [
    ...(left > 0 ? [`    ${paint.dim(`log     … ${String(left)} lines before (--verbose)`)}`] : []),
    ...shown.map(
      (line, i) => `    ${i === 0 && left === 0 ? paint.dim('log   ') : '      '}  ${paint.dim(printable(line))}`,
    ),
    ...(droppedBytes > 0 ? [`    ${paint.doubt(`        ${formatSize(droppedBytes)} more were not kept`)}`] : []),
  ];
}

function failureLines(failure: Failure, plan: ShownPlan, { paint, verbose, guess }: CallTextOptions): string[] {
  const { expected, found, mend } = explain(failure, plan);
  const stack = stackOf(failure, verbose ? undefined : plan.run.frames);
  const guessed = guess === undefined ? [] : [`    ${paint.doubt('perhaps')}   ${printable(guess)}`];
  return [
    ...lines(paint, { expected, found, mend }),
    ...guessed,
    ...stack.map((line) => `      ${paint.dim(printable(line))}`),
  ];
}

/** @param frames that are not the function's; everything is shown without it */
function stackOf(failure: Failure, frames: RegExp | undefined): string[] {
  if (failure.kind !== 'threw' && failure.kind !== 'load-failed') return [];
  const all = failure.stack.split('\n').filter((line) => /^\s+at /.test(line));
  const shown = frames === undefined ? all : all.filter((line) => !frames.test(line)).slice(0, SHOWN_STACK_LINES);
  return shown.map((line) => line.trim());
}

function explain(failure: Failure, { file, run }: ShownPlan): Explained {
  return ('name' in failure ? run.explain?.(failure) : undefined) ?? explainFailure(failure, file);
}
