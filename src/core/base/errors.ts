/** The one error type of the house. What is thrown on purpose is an EmballageError; any other Error is a fault of ours. */

/** Whose turn it is: `input` (the command or a file is wrong) or `service` (a tool, disk or service that we need failed). */
export type ErrorKind = 'input' | 'service';

const KINDS = {
  USAGE: 'input',
  SHEET_INVALID: 'input',
  FILE_MISSING: 'input',
  FILE_UNREADABLE: 'input',
  FILE_TOO_BIG: 'input',
  FILE_NOT_TEXT: 'input',
  FILE_CHANGED: 'input',
  SOURCE_UNPACKABLE: 'input',
  EVENT_INVALID: 'input',
  ARTIFACT_MISSING: 'input',
  ARTIFACT_MIXED: 'input',
  ZIP_NOT_A_ZIP: 'input',
  ZIP_TRUNCATED: 'input',
  ZIP_INVALID: 'input',
  ZIP_ENTRY_REFUSED: 'input',
  ZIP_NAME_TOO_LONG: 'input',
  ZIP_TOO_MANY: 'input',
  REQUIREMENTS_INVALID: 'input',
  REQUIREMENTS_IMPOSSIBLE: 'input',
  LOCK_INVALID: 'input',
  LOCK_OUTDATED: 'input',
  PACKAGE_INVALID: 'input',
  MODULE_INVALID: 'input',
  COMPILE_FAILED: 'input',
  BINARY_INVALID: 'input',
  IMAGE_INVALID: 'input',
  LEDGER_INVALID: 'input',
  ADVISORIES_INVALID: 'input',
  KEY_INVALID: 'input',
  WEIGHTS_INVALID: 'input',
  RECORD_INVALID: 'input',
  SOURCE_INVALID: 'service',
  SOURCE_MISMATCH: 'service',
  SOURCE_OFFLINE: 'service',
  SOURCE_REFUSED: 'service',
  SOURCE_UNREACHABLE: 'service',
  DELIVERY_GONE: 'input',
  DELIVERY_INVALID: 'service',
  DELIVERY_REFUSED: 'service',
  DELIVERY_UNREACHABLE: 'service',
  TEMPLATE_INVALID: 'input',
  REGISTRY_INVALID: 'service',
  REGISTRY_REFUSED: 'service',
  REGISTRY_UNREACHABLE: 'service',
  NESTED_TOO_DEEPLY: 'input',
  DISK_FULL: 'service',
  DISK_FAILED: 'service',
  COMPILER_FAILED: 'service',
  TOOLCHAIN_MISSING: 'service',
  HOST_FAILED: 'service',
  BUILD_BUSY: 'service',
  REBUILD_FAILED: 'service',
} as const satisfies Record<string, ErrorKind>;

export type ErrorCode = keyof typeof KINDS;

/** A position in a text file; line and column count from 1. */
export interface Place {
  readonly file: string;
  readonly line: number;
  readonly column: number;
}

/** One thing that is wrong in a file that a person wrote. */
export interface Problem {
  readonly place: Place;
  /** What would have been right, as it stands after "expected". */
  readonly expected: string;
  /** What stands there, as it stands after "found". */
  readonly found: string;
  /** How to mend it, a sentence without its full stop. */
  readonly mend: string;
}

export interface ErrorFacts {
  /** What was being done, as it stands after "while": `reading the packing sheet`. */
  readonly doing: string;
  /** The file, folder or archive entry, already fit for printing. */
  readonly where?: string;
  readonly expected?: string;
  readonly found: string;
  readonly mend: string;
  /** Each mistake with its own place, where there are several. */
  readonly problems?: readonly Problem[];
  /** Each thing found, a line each, where there are several without a place in a text. */
  readonly details?: readonly string[];
}

export class EmballageError extends Error {
  readonly code: ErrorCode;
  readonly facts: ErrorFacts;

  constructor(code: ErrorCode, facts: ErrorFacts, cause?: unknown) {
    super(`${facts.doing}: ${facts.found}`, cause === undefined ? undefined : { cause });
    this.name = 'EmballageError';
    this.code = code;
    this.facts = facts;
  }

  get kind(): ErrorKind {
    return KINDS[this.code];
  }
}

/** The `code` of a system error (`ENOENT`), or undefined for anything else. */
export function systemCode(error: unknown): string | undefined {
  if (typeof error !== 'object' || error === null || !('code' in error)) return undefined;
  return typeof error.code === 'string' ? error.code : undefined;
}

/** The message of whatever was thrown. */
export function messageOf(error: unknown): string {
  return error instanceof Error ? error.message : String(error);
}

/** Whether something led outside the bytes that are there. By name, since errors of the runtime itself may be of another realm. */
export function isRangeError(error: unknown): boolean {
  return typeof error === 'object' && error !== null && 'name' in error && error.name === 'RangeError';
}
