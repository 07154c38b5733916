/** What comparing two things comes to. */
import type { ByteSource } from '../../formats/byte-source';

/** How something stands to its like on the other side. */
export type Change = 'added' | 'removed' | 'changed' | 'moved' | 'described';

/** One property that is not the same on both sides, in the terms of the format. */
export interface Detail {
  readonly what: string;
  readonly a: string;
  readonly b: string;
}

/** Why bytes differ where nothing that counts does. */
export const CAUSES = {
  time: 'a time stamp',
  path: 'a path of the machine',
  order: 'another order',
  owner: 'a user or group id',
  mode: 'other permissions',
  tool: 'another tool or version of it',
  'build-id': 'a build id',
  compressor: 'another compressor or level',
} as const;
export type CauseId = keyof typeof CAUSES;

export interface Cause {
  readonly cause: CauseId;
  /** Where it shows, and how, the first of several. */
  readonly where: string;
  readonly a: string;
  readonly b: string;
  /** How many things show it. */
  readonly times: number;
}

export interface Difference {
  /** `described`: the content is the same, what is said about it is not. */
  readonly change: Change;
  /** Path, or what else it is called: a layer, a section, a member. */
  readonly path: string;
  /** Where it is on the other side, of what moved. */
  readonly to?: string;
  /** Bytes that the second has more than the first; below zero for fewer. */
  readonly by: number;
  /** What kind of thing it was compared as: `class file`, `JSON`, `text`. */
  readonly as?: string;
  readonly details: readonly Detail[];
  /** Lines of a unified difference; bounded. */
  readonly lines?: readonly string[];
  /** What differs inside it. */
  readonly inside?: readonly Difference[];
  /** What alone makes it differ, where that is nothing that counts. */
  readonly cause?: CauseId;
}

export interface SideFacts {
  /** As shown to people. */
  readonly shown: string;
  /** What it is: `zip archive`, `folder`, `image`. */
  readonly as: string;
  readonly size: number;
}

export type Verdict = 'same-bytes' | 'same-content' | 'differs';

export interface Comparison {
  readonly verdict: Verdict;
  readonly a: SideFacts;
  readonly b: SideFacts;
  readonly differences: readonly Difference[];
  /** Differences that are not listed, since there are too many. */
  readonly unlisted: number;
  /** The likely ones, the most frequent first; where content differs as well, those of the rest. */
  readonly causes: readonly Cause[];
}

/** What a file is, to be looked into. */
export interface Content {
  readonly name: string;
  readonly source: ByteSource;
}

/** An entry of an archive, a folder, a layer. */
export interface TreeEntry {
  readonly path: string;
  readonly kind: 'file' | 'link' | 'folder' | 'other';
  readonly size: number;
  readonly mode?: number | undefined;
  readonly target?: string | undefined;
  /** What else the format says of it, by what it is about. */
  readonly said: Readonly<Partial<Record<CauseId, readonly Detail['a'][]>>>;
  /** Its bytes as they lie there, and how they are packed: equal ones need not be unpacked. */
  readonly raw?: { readonly source: ByteSource; readonly at: number; readonly length: number; readonly method: string };
  /** A checksum that differs where the content does. */
  readonly sum?: string;
  /** @throws where it cannot be read */
  readonly open: () => ByteSource;
}

export interface Tree {
  readonly as: string;
  /** In the order in which they stand. */
  readonly entries: readonly TreeEntry[];
}
