/** What a packing sheet and a destination say, settled: defaults filled in, sizes in bytes, times in milliseconds. Plain data. */
import { ARCHITECTURES, type Arch } from '../base/arch';
import type { Place } from '../base/errors';
import type { ImageKeys } from './image-keys';
import type { JvmKeys } from '../languages/jvm/keys';
import type { NativeKeys } from '../languages/compiled/keys';

export { ARCHITECTURES, type Arch };

/** The artifact forms that a destination can take. */
export const FORMS = ['zip', 'jar', 'binary', 'image'] as const;
export type Form = (typeof FORMS)[number];

/** What the host calls: `alert.mjs#decide`. */
export interface Entry {
  readonly text: string;
  readonly file: string;
  readonly member: string;
}

export interface Runtime {
  /** `node 20`. */
  readonly text: string;
  readonly language: string;
  readonly version: string;
}

export interface Setting {
  readonly name: string;
  readonly sample?: string;
  readonly secret: boolean;
}

/** Sizes in bytes, `files` a count. */
export interface Limits {
  readonly packed?: number;
  readonly unpacked?: number;
  readonly files?: number;
  readonly oneFile?: number;
  /** Largest artifact whose source can be read where it runs. */
  readonly viewable?: number;
  /** Largest layer of an image, as it is sent. */
  readonly layer?: number;
  /** Most layers of an image. */
  readonly layers?: number;
}

/** A finding that the team lives with for a while. */
export interface Acceptance {
  readonly rule: string;
  readonly reason: string;
  /** The last day on which it holds, `2027-01-31`. */
  readonly until: string;
  /** Pattern for what the finding is about; every finding of the rule without one. */
  readonly where?: string;
}

/** A requirement that stands in the sheet itself. */
export interface SheetNeed {
  readonly text: string;
  readonly place: Place;
}

/** What a function needs: stated in the sheet, or in a file of the project. */
export type Needs =
  | { readonly kind: 'list'; readonly items: readonly SheetNeed[] }
  /** `groups`: optional groups of the file that are wanted too. */
  | { readonly kind: 'file'; readonly path: string; readonly groups: readonly string[] };

/** Where third-party files come from. */
export interface Source {
  readonly kind: 'index' | 'folder';
  /** Address of an index; folder relative to the project. */
  readonly at: string;
  /** JVM: the name by which Maven’s settings know it. */
  readonly id?: string;
  /** Patterns of the names that only this source may serve. */
  readonly serves?: readonly string[];
}

export const TRIMS = ['off', 'safe', 'traced'] as const;
export type Trim = (typeof TRIMS)[number];

/** Interfaces of web applications, by language. */
export const ADAPTERS = ['wsgi', 'asgi', 'http'] as const;
export type Adapter = (typeof ADAPTERS)[number];

export const SOURCEMAPS = ['inline', 'beside', 'none'] as const;
export type Sourcemap = (typeof SOURCEMAPS)[number];

export interface FunctionSpec {
  readonly name: string;
  /** Folder, relative to the project; '' is the project itself. */
  readonly source: string;
  readonly runtime: Runtime;
  readonly entry: Entry;
  readonly form: Form;
  readonly archs: readonly Arch[];
  /** Name of a destination of the sheet. */
  readonly destination: string;
  readonly leaveOut: readonly string[];
  readonly keep: readonly string[];
  readonly links: 'follow' | 'keep';
  readonly emptyFolders: boolean;
  readonly needs?: Needs;
  readonly sources: readonly Source[];
  readonly trim: Trim;
  readonly bytecode: boolean;
  readonly adapter?: Adapter;
  /** Node.js: one file, as small as it can be, and where its source map goes. */
  readonly link: boolean;
  readonly minify: boolean;
  readonly sourcemap: Sourcemap;
  /** JVM: how dependencies are put into one JAR. */
  readonly jvm?: JvmKeys;
  /** Native code: how it is compiled. */
  readonly native?: NativeKeys;
  /** Images: what they stand on, and how they are cut. */
  readonly image?: ImageKeys;
  readonly settings: readonly Setting[];
  readonly limits: Limits;
  readonly memoryBytes?: number;
  readonly timeoutMs?: number;
  readonly events: readonly string[];
  readonly accept: readonly Acceptance[];
  /** Where the function stands in the sheet. */
  readonly place: Place;
}

export interface DestinationRuntime {
  readonly name: string;
  /** Version of the C library, `2.36`. */
  readonly glibc?: string;
  readonly musl?: string;
  /** The exact version of the runtime, `3.11.9`. */
  readonly patch?: string;
  /** What the runtime brings along: packages, for native code shared libraries. */
  readonly provides: readonly string[];
  /** Name of the file that is started, for native code. */
  readonly start?: string;
  /** The last day on which the runtime is offered, `2026-04-30`. */
  readonly ends?: string;
}

/** Where images are sent to: a registry, and the namespace under which repositories lie there. */
export interface Registry {
  /** `harbour.example:5000`. */
  readonly host: string;
  /** `fernhaven/tides`; '' for none. */
  readonly namespace: string;
  /** It speaks HTTP without encryption, although it is not on this machine. */
  readonly plainHttp: boolean;
}

export interface Destination {
  readonly name: string;
  /** The file it was read from, relative to where the command runs. */
  readonly file: string;
  readonly archs: readonly Arch[];
  /** What its processors have: `x86-64-v2`, `v8.2`; nothing beyond the baseline where it does not say. */
  readonly cpu: Readonly<Partial<Record<Arch, string>>>;
  readonly accepts: Readonly<Partial<Record<Form, Limits>>>;
  /** The registry that images are sent to. */
  readonly registry?: Registry;
  readonly runtimes: readonly DestinationRuntime[];
  /** Entry string of each language, with `{path}`, `{module}`, `{member}`, `{class}`. */
  readonly entry: Readonly<Partial<Record<string, string>>>;
  readonly memory: { readonly least?: number; readonly most?: number };
  readonly timeoutMostMs?: number;
  readonly settings: {
    readonly totalBytes?: number;
    readonly reserved: readonly string[];
    readonly required: readonly string[];
  };
}

export interface Sheet {
  readonly project: string;
  readonly functions: readonly FunctionSpec[];
  readonly destinations: Readonly<Record<string, Destination>>;
}
