/** Why a call failed, in words: what was expected, what was found, how to mend it. */
import { listed, printable } from '../../core/base/text';
import { formatSize, formatTime } from '../../core/base/units';
import type { Explained } from '../../core/languages';
import type { Failure } from '../../standins/host';

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

const SHOWN_BODY = 300;

function shortened(json: string): string {
  const { body } = JSON.parse(json) as { readonly body?: unknown };
  const result = typeof body === 'string' && body !== '' ? body : json;
  return printable(result.length <= SHOWN_BODY ? result : `${result.slice(0, SHOWN_BODY)} …`);
}

type Told = {
  readonly [Kind in Failure['kind']]: (failure: Failure & { readonly kind: Kind }, file: string) => Explained;
};

const TOLD: Told = {
  threw: (failure) => ({
    expected: 'an answer',
    found: `it threw ${printable(failure.name)}: ${inLines(failure.message)}`,
    mend: 'see the stack; paths are those in the artifact',
  }),
  'load-failed': (failure, file) => ({
    expected: `\`${file}\` to load`,
    found: `${printable(failure.name)}: ${inLines(failure.message)}`,
    mend: 'pack what is missing, or mend the module',
  }),
  'no-member': (failure, file) => ({
    expected: 'the entry’s member to be a function',
    found: `${failure.found === 'undefined' ? 'no such member' : `a ${failure.found}`}; \`${file}\` exports ${failure.members.map(printable).join(', ') || 'nothing'}`,
    mend: 'correct `entry` in the sheet',
  }),
  hung: (failure) => ({
    expected: `an end within ${formatTime(failure.limitMs)}`,
    found: `it was still ${failure.while} then, and was ended`,
    mend: 'look for a wait without end, or raise `timeout`',
  }),
  exited: (failure) => ({
    expected: 'an answer',
    found: `the process ended by itself, exit code ${String(failure.code)}`,
    mend: 'answer instead of ending the process; see its log',
  }),
  killed: (failure) => ({
    expected: 'an answer',
    found: `the process was ended by ${failure.signal}${SIGNALS[failure.signal] ?? ''}`,
    mend: 'see its log',
  }),
  memory: (failure) => ({
    expected: `at most ${formatSize(failure.limitBytes)} of memory`,
    found: 'more than that, and it was ended',
    mend: 'use less at once, or raise `memory`',
  }),
  'not-json': (failure) => ({
    expected: 'an answer that JSON can hold',
    found: failure.fault,
    mend: 'answer with objects, lists, texts, numbers',
  }),
  broken: (failure) => ({
    expected: 'a whole answer by HTTP',
    found: failure.what,
    mend: 'send what `content-length` says, or in chunks, and close only then',
  }),
  deaf: (failure) => ({
    expected: `it to listen on the port in PORT, ${String(failure.port)}, within ${formatTime(failure.limitMs)}`,
    found:
      failure.instead.length === 0
        ? 'nothing that listens there'
        : `it listens on ${listed(failure.instead.map(String))} instead`,
    mend: 'take the port from the environment variable `PORT`; `calls: { start: … }` of the destination is the time',
  }),
  status: (failure) => ({
    expected:
      failure.status < 500 ? 'a status that says it was taken, 200 to 299' : 'a response with a status below 500',
    found: `status ${String(failure.status)}: ${shortened(failure.json)}`,
    mend: 'see its log: the application failed, or says that it cannot answer',
  }),
  garbled: (failure) => ({
    expected: 'answers where the host reads them, log lines of UTF-8 text elsewhere',
    found: failure.what,
    mend: 'write logs of executables to standard error, and all others as text',
  }),
};

/** @param file what the host loads */
export function explainFailure(failure: Failure, file: string): Explained {
  // Each is told by the entry of its kind.
  return (TOLD[failure.kind] as (failure: Failure, file: string) => Explained)(failure, file);
}
