/**
 * What the page of weights is given: the program writes it, the page in the browser reads it. Many things stand in columns,
 * an array for each property, so that fifty thousand files stay small and quick to read.
 */

export interface PageWeight {
  readonly unpacked: number;
  readonly packed: number;
}

export interface PageNodes {
  /** Names: how much of the one before it begins with, then the rest. */
  readonly shared: readonly number[];
  readonly rest: readonly string[];
  /** The node that it would go with: by reasons, the nearest that all ways to it lead through. −1 for the first, the root. */
  readonly up: readonly number[];
  /** The node before it on the shortest way from the root. */
  readonly from: readonly number[];
  /** The line of that node that asks for it, by number of the node, where it is known. */
  readonly lines: Readonly<Record<string, number>>;
  /** 0 the root, 1 a file or a part of one, 2 a package, 3 a group of parts. */
  readonly is: readonly number[];
  /** Bytes of its own. */
  readonly unpacked: readonly number[];
  readonly packed: readonly number[];
  /** Indexes into `kinds`, `owners` and `layers`; −1 for none. */
  readonly kind: readonly number[];
  readonly owner: readonly number[];
  readonly layer: readonly number[];
}

export interface PageDependency extends PageWeight {
  readonly name: string;
  readonly isPackage: boolean;
  readonly files: number;
  readonly alone?: PageWeight;
  readonly shared?: PageWeight;
  readonly by?: readonly string[];
}

export interface PageFinding {
  readonly rule: string;
  readonly level: 'stop' | 'warn' | 'note';
  readonly where?: string;
  readonly expected: string;
  readonly found: string;
  readonly mend: string;
}

export interface PageChange {
  readonly name: string;
  readonly by: number;
  /** `3.1.0 → 3.2.0`, `is new`. */
  readonly versions: string;
}

export interface PageDifference {
  readonly change: string;
  readonly path: string;
  readonly to?: string;
  readonly as?: string;
  readonly by: number;
}

export interface PageGrowth {
  readonly since: string;
  readonly before: PageWeight;
  readonly now: PageWeight;
  readonly changes: readonly PageChange[];
  /** Entry by entry; undefined where only a waybill of the other is there. */
  readonly differences?: readonly PageDifference[];
  /** Differences that are not listed. */
  readonly unlisted: number;
}

export interface PageReport {
  readonly name: string;
  readonly arch: string;
  readonly artifact: string;
  readonly form: string;
  readonly sha256: string;
  readonly total: PageWeight;
  readonly files: number;
  /** What is to be said first, where origins are not known. */
  readonly remark: string;
  readonly limits: readonly {
    readonly name: string;
    readonly used: number;
    readonly allowed: number;
    readonly unit: 'bytes' | 'count';
    readonly by: string;
  }[];
  readonly kinds: readonly string[];
  readonly owners: readonly string[];
  readonly layers: readonly string[];
  readonly nodes: PageNodes;
  readonly dependencies: readonly PageDependency[];
  /** Undefined where it was held against nothing. */
  readonly findings?: readonly PageFinding[];
  readonly trimmed: readonly {
    readonly name: string;
    readonly by: string;
    readonly size: number;
    readonly files: number;
  }[];
  readonly savings: readonly {
    readonly what: string;
    readonly about: string;
    readonly unpacked?: number;
    readonly line?: string;
  }[];
  readonly growth?: PageGrowth;
}

export interface PageData {
  readonly page: 1;
  /** The tool and its version. */
  readonly by: string;
  readonly title: string;
  readonly reports: readonly PageReport[];
}
