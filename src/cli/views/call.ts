/** How the calls of `try` read. */
import { printable } from '../../core/base/text';
import { formatSize, formatTime } from '../../core/base/units';
import type { Explained } from '../../core/languages';
import { parseExact, statusOf, writeExact, type CallReport, type Failure, type HostPlan } from '../../standins/host';
import { lines } from './error';
import type { Paint } from './paint';

export interface CallTextOptions {
  readonly paint: Paint;
  readonly quiet: boolean;
  readonly verbose: boolean;
  /** Whether it is a web application, whose answers are responses. */
  readonly isWeb: boolean;
}

type ShownPlan = Pick<HostPlan, 'file' | 'run'>;

const SHOWN_LOG_LINES = 12;
const SHOWN_STACK_LINES = 6;
const SHOWN_RESULT = 4000;
const SHOWN_BODY = 300;

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
      ...(options.isWeb ? refusalLines(report.answer.json, paint) : []),
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
function refusalLines(json: string, paint: Paint): string[] {
  const status = statusOf(json) ?? 0;
  return status < 400 ? [] : [`    ${paint.doubt(`status  ${String(status)}: it refuses the request`)}`];
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

function failureLines(failure: Failure, plan: ShownPlan, { paint, verbose }: CallTextOptions): string[] {
  const { expected, found, mend } = explain(failure, plan);
  const stack = stackOf(failure, verbose ? undefined : plan.run.frames);
  return [...lines(paint, { expected, found, mend }), ...stack.map((line) => `      ${paint.dim(printable(line))}`)];
}

/** @param frames that are not the function's; everything is shown without it */
function stackOf(failure: Failure, frames: RegExp | undefined): string[] {
  if (failure.kind !== 'threw' && failure.kind !== 'load-failed') return [];
  const all = failure.stack.split('\n').filter((line) => /^\s+at /.test(line));
  const shown = frames === undefined ? all : all.filter((line) => !frames.test(line)).slice(0, SHOWN_STACK_LINES);
  return shown.map((line) => line.trim());
}

function explain(failure: Failure, { file, run }: ShownPlan): Explained {
  return ('name' in failure ? run.explain?.(failure) : undefined) ?? explainOther(failure, file);
}

/** What the signals mean that a program gets for what it did itself. */
const SIGNALS: Readonly<Record<string, string>> = {
  SIGSEGV: ': it reached for memory that is not its own',
  SIGBUS: ': it reached for memory that is not there',
  SIGILL: ': the processor does not know an instruction of it',
  SIGFPE: ': a division by zero, or the like',
  SIGABRT: ': it gave up by itself',
};

/** A message may have several lines; they stand under each other, as the parts of a finding do. */
function inLines(message: string): string {
  return message
    .split(/\r?\n/)
    .map(printable)
    .join(`\n${' '.repeat(14)}`);
}

function explainOther(failure: Failure, file: string): Explained {
  switch (failure.kind) {
    case 'threw':
      return {
        expected: 'an answer',
        found: `it threw ${printable(failure.name)}: ${inLines(failure.message)}`,
        mend: 'see the stack; paths are those in the artifact',
      };
    case 'load-failed':
      return {
        expected: `\`${file}\` to load`,
        found: `${printable(failure.name)}: ${inLines(failure.message)}`,
        mend: 'pack what is missing, or mend the module',
      };
    case 'no-member':
      return {
        expected: 'the entry’s member to be a function',
        found: `${failure.found === 'undefined' ? 'no such member' : `a ${failure.found}`}; \`${file}\` exports ${failure.members.map(printable).join(', ') || 'nothing'}`,
        mend: 'correct `entry` in the sheet',
      };
    case 'hung':
      return {
        expected: `an end within ${formatTime(failure.limitMs)}`,
        found: `it was still ${failure.while} then, and was ended`,
        mend: 'look for a wait without end, or raise `timeout`',
      };
    case 'exited':
      return {
        expected: 'an answer',
        found: `the process ended by itself, exit code ${String(failure.code)}`,
        mend: 'answer instead of ending the process; see its log',
      };
    case 'killed':
      return {
        expected: 'an answer',
        found: `the process was ended by ${failure.signal}${SIGNALS[failure.signal] ?? ''}`,
        mend: 'see its log',
      };
    case 'memory':
      return {
        expected: `at most ${formatSize(failure.limitBytes)} of memory`,
        found: 'more than that, and it was ended',
        mend: 'use less at once, or raise `memory`',
      };
    case 'not-json':
      return {
        expected: 'an answer that JSON can hold',
        found: failure.fault,
        mend: 'answer with objects, lists, texts, numbers',
      };
    case 'status':
      return {
        expected: 'a response with a status below 500',
        found: `status ${String(failure.status)}: ${shortened(failure.json)}`,
        mend: 'see its log: the application failed, or says that it cannot answer',
      };
    case 'garbled':
      return {
        expected: 'answers where the host reads them, log lines of UTF-8 text elsewhere',
        found: failure.what,
        mend: 'write logs of executables to standard error, and all others as text',
      };
  }
}

function shortened(json: string): string {
  const { body } = JSON.parse(json) as { readonly body?: unknown };
  const told = typeof body === 'string' && body !== '' ? body : json;
  return printable(told.length <= SHOWN_BODY ? told : `${told.slice(0, SHOWN_BODY)} …`);
}
