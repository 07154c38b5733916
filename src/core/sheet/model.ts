/** What a packing sheet and a destination say, settled: defaults filled in, sizes in bytes, times in milliseconds. Plain data. */
import { ARCHITECTURES, type Arch } from '../base/arch';
import type { Place } from '../base/errors';
import type { Calls } from '../events';
import type { Include } from '../fileset/model';

export { ARCHITECTURES, type Arch };

/** The largest sheet or destination that is read. */
export const MAX_YAML_BYTES = 1024 * 1024;

/** What the forms bring: the folder of each adds a member under its id (declaration merging), as languages do below. */
// eslint-disable-next-line @typescript-eslint/no-empty-object-type
export interface Forms {}

/** `zip`, `image`: a closed union. */
export type FormId = keyof Forms;

/** Keys of a function that only one form has, settled; the folder of the form adds them. */
// eslint-disable-next-line @typescript-eslint/no-empty-object-type
export interface FormKeys {}

/** What of a form counts wherever artifacts are spoken of. Two forms are told apart by nothing else. */
export interface FormFacts<Id extends FormId = FormId> {
  readonly id: Id;
  /** What an artifact of it is called, as `no library in the …`; and several of them. */
  readonly title: string;
  readonly titles: string;
  /** Ending of artifacts as they are built: `.zip`; '' where they have none. */
  readonly ending: string;
  /** Ending of the one file that an artifact is sent as, where it is not sent in parts. */
  readonly fileEnding: string;
  /** Media type of that file. */
  readonly mediaType: string;
  /** Whether our encoder packs what is in it. */
  readonly isDeflated: boolean;
  /** It is one executable, and nothing lies beside that. */
  readonly isProgram?: true;
  /**
   * It is layers on a base that brings the runtime, for one processor, with what starts the function. Layers are known by
   * their digests: machines share them one by one, and a registry takes them so.
   */
  readonly isLayered?: true;
  /** Path of what says at its beginning how the whole is read; the runtime reads it without unpacking. */
  readonly manifest?: string;
  /** Whether code in it chooses among libraries for several systems. */
  readonly isForSeveral?: true;
  /** What the folders in it are to those who write its code. */
  readonly places: 'folder' | 'package';
  /** A form whose functions can be of this one too, whatever their language. */
  readonly holdsWhat?: FormId;
  /** Files that a build of all architectures places beside the artifacts, relative to the project. */
  alsoPlaced?(name: string): readonly string[];
  /** What an artifact is known by, SHA-256 in hexadecimal, where that is not the digest of its file. @param path absolute */
  digest?(path: string, shown: string): Promise<string>;
}

/** What the host calls: `alert.mjs#decide`. */
export interface Entry {
  readonly text: string;
  readonly file: string;
  readonly member: string;
}

/**
 * What the languages bring. The folder of each adds a member under its id (declaration merging), so that the ids are a
 * closed union, and what is a language's own is typed by it, although nothing below the languages knows any of them.
 */
// eslint-disable-next-line @typescript-eslint/no-empty-object-type
export interface Languages {}

export type LanguageId = keyof Languages;

/** What a member of `Languages` says: types of what is the language's own. */
export interface LanguageTypes {
  /** Its keys of a function in the sheet, settled. */
  readonly keys: object;
  /** Its part of the lock: of a package, of a function. */
  readonly lockedPackage: object;
  readonly locked: object;
  /** Its part of the waybill: of a package, of the whole. */
  readonly carriedPackage: object;
  readonly carried: object;
}

/** What is a language's own, under its id. */
export type ByLanguage<Part extends keyof LanguageTypes> = {
  readonly [Id in LanguageId]?: Languages[Id] extends LanguageTypes ? Languages[Id][Part] : never;
};

export interface Runtime<Id extends LanguageId = LanguageId> {
  /** `node 20`. */
  readonly text: string;
  readonly language: Id;
  /** '' where the language has none. */
  readonly version: string;
  /** The name under which destinations offer it: `node 20`, `native`. */
  readonly offered: string;
}

export interface Setting {
  readonly name: string;
  readonly sample?: string;
  readonly secret: boolean;
  /** What it is at each destination; its sample everywhere where there are none. */
  readonly values?: Readonly<Record<string, string>>;
  /** Destinations that hold it themselves: only whether it is there is looked at. */
  readonly held?: readonly string[];
  /** It holds where the data of that name lies, which travels beside the artifact. */
  readonly beside?: string;
}

/** Data that travels beside an artifact. */
export interface Beside {
  readonly name: string;
  /** Relative to the project. */
  readonly file: string;
  /** Name of the setting that holds its path or address. */
  readonly setting: string;
}

/** Something that is filled into a template. */
export interface Fill {
  /** Relative to the project. */
  readonly file: string;
  /** JSON Pointer, or the name of a mark. */
  readonly at: string;
  readonly value: string;
  readonly destination?: string;
  /** Where the value stands in the sheet, and where `at` does. */
  readonly place: Place;
  readonly placeOfAt: Place;
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
  /** That of the one finding that is meant, where it has one. */
  readonly fingerprint?: string;
  /** Of a known fault: why it does not touch the function, in the words of CycloneDX (`code_not_reachable`). */
  readonly because?: string;
}

/** What the team says of licences: identifiers of SPDX, and expressions with an exception. */
export interface LicencePolicy {
  /** Only these; all where it says none. */
  readonly allow?: readonly string[];
  readonly deny: readonly string[];
  /** What the team found out itself, by `name` or `name@version`. */
  readonly known: Readonly<Record<string, string>>;
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
  /** The name by which settings of the machine know it. */
  readonly id?: string;
  /** Patterns of the names that only this source may serve. */
  readonly serves?: readonly string[];
}

export const TRIMS = ['off', 'safe', 'traced'] as const;
export type Trim = (typeof TRIMS)[number];

export interface FunctionSpec<Id extends LanguageId = LanguageId> extends FormKeys {
  readonly name: string;
  /** Folder, relative to the project; '' is the project itself. */
  readonly source: string;
  readonly runtime: Runtime<Id>;
  readonly entry: Entry;
  readonly form: FormFacts;
  readonly archs: readonly Arch[];
  /** Name of a destination of the sheet. */
  readonly destination: string;
  readonly leaveOut: readonly string[];
  readonly keep: readonly string[];
  /** Files from elsewhere in the project. */
  readonly include: readonly Include[];
  readonly links: 'follow' | 'keep';
  readonly emptyFolders: boolean;
  readonly needs?: Needs;
  readonly sources: readonly Source[];
  readonly trim: Trim;
  /** With `traced`: also members of what is reached, where the language can. */
  readonly isDeep: boolean;
  /** With `traced`: nothing but what imports are seen to reach. */
  readonly isStrict: boolean;
  /** The interface of web applications that the entry has. */
  readonly adapter?: string;
  /** The shape of requests that is picked for it. */
  readonly shape?: string;
  /** The keys that only its language has. */
  readonly byLanguage: Languages[Id]['keys'];
  /** Those that tell where data beside the artifact lies are among them. */
  readonly settings: readonly Setting[];
  readonly beside: readonly Beside[];
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

/** What the ways of delivery bring: the folder of each adds what a destination says of it, under its name. */
// eslint-disable-next-line @typescript-eslint/no-empty-object-type
export interface Ways {}

/** `registry`, `folder`: a closed union. */
export type WayName = keyof Ways;

/** How artifacts get to a destination by one way. */
export type DeliverBy<Name extends WayName> = { readonly way: Name } & Ways[Name];

export type Deliver = { [Name in WayName]: DeliverBy<Name> }[WayName];

/** What of a way counts wherever deliveries are spoken of. */
export interface WayFacts<Name extends WayName = WayName> {
  readonly name: Name;
  /** Whether artifacts that can be sent in parts are, so that what stands there is no single file. */
  readonly takesParts?: true;
  /** Whether tags name what was sent: the same may be sent again under others. */
  readonly isTagged?: true;
  /** What is sent and what is taken back, as it is counted for people. */
  readonly units: { readonly sent: string; readonly deleted: string };
}

export interface Destination {
  readonly name: string;
  /** The file it was read from, relative to where the command runs. */
  readonly file: string;
  readonly archs: readonly Arch[];
  /** What its processors have: `x86-64-v2`, `v8.2`; nothing beyond the baseline where it does not say. */
  readonly cpu: Readonly<Partial<Record<Arch, string>>>;
  readonly accepts: Readonly<Partial<Record<FormId, Limits>>>;
  /** That it takes data beside an artifact, and how many bytes of it altogether. */
  readonly besides?: { readonly packed?: number };
  readonly deliver?: Deliver;
  /** An address that installs what was sent, with words in braces. */
  readonly link?: string;
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
  /** How it calls functions, where that is not our own way. */
  readonly calls?: Calls;
  /** Papers without which it takes nothing. */
  readonly wants?: Wants;
}

export interface Wants {
  readonly bill: boolean;
  readonly provenance: boolean;
  /** Files with public keys, relative to the project; one of them has to have signed. */
  readonly signedBy: readonly string[];
}

export interface Sheet {
  readonly project: string;
  readonly functions: readonly FunctionSpec[];
  readonly destinations: Readonly<Record<string, Destination>>;
  readonly store?: SharedStore;
  readonly fill?: readonly Fill[];
  readonly licences?: LicencePolicy;
  /** A folder or an archive with records of known faults, relative to the sheet, or absolute. */
  readonly advisories?: string;
  /** Bytes that one package of third parties may unpack to, where the sheet says. */
  readonly mostUnpacked?: number;
}

/** Where results lie that many machines share. */
export interface SharedStore {
  readonly registry: Registry;
  /** Whether results are put there. */
  readonly write: boolean;
  /** Files with the public keys of which one has to have signed a result, relative to the project; none for any result. */
  readonly signedBy: readonly string[];
}
