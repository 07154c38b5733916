/** What is a Python function's own: in the sheet, in the lock. */

export interface PythonKeys {
  /** Pack compiled bytecode too. */
  readonly bytecode: boolean;
}

/** The source distribution that a wheel was built from here, and with what. */
export interface LockedSource {
  readonly file: string;
  readonly sha256: string;
  readonly size: number;
  readonly from: string;
  readonly with: readonly string[];
}

export interface LockedPythonPackage {
  readonly source: LockedSource;
}
