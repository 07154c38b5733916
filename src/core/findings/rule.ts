/** What a rule is: it holds an artifact against a destination and says what it finds. */
import type { OpenImage } from '../disk/unpack/open-image';
import type { CloudEvent, Shape } from '../events';
import type { ZipFault } from '../formats/zip';
import type {
  Arch,
  Destination,
  Entry,
  FormFacts,
  FunctionSpec,
  LicencePolicy,
  Limits,
  Runtime,
  Setting,
} from '../sheet';
import type { Waybill } from '../waybill';
import type { Finding, Level } from './finding';
import type { PackageLicence } from './licences';
import type { LanguageView } from './view';

export type { Finding, Level } from './finding';

/** Text of a file of an artifact; undefined where there is none of that name, or none that can be read. */
export type ReadText = (path: string) => string | undefined;

export interface SubjectEntry {
  readonly path: string;
  readonly kind: 'file' | 'link' | 'folder';
  /** Permission bits; undefined where the artifact does not say. */
  readonly mode: number | undefined;
  /** Bytes, unpacked. */
  readonly size: number;
  readonly target?: string;
}

/** The artifact under check. */
export interface Subject {
  readonly form: FormFacts;
  readonly packedBytes: number;
  readonly entries: readonly SubjectEntry[];
  readonly faults: readonly ZipFault[];
  readonly readText: ReadText;
  /** Bytes of a file; undefined as above, and where it is larger than `maxBytes`. */
  readonly readBytes: (path: string, maxBytes: number) => Uint8Array | undefined;
  /** A file of any size in pieces, which ends early where it is damaged; for an image by its path in the whole of it. */
  readonly pieces: (path: string) => AsyncIterable<Uint8Array> | Iterable<Uint8Array>;
  /** For images: all of it; the entries above are those of its working folder. */
  readonly image?: OpenImage;
  /** Secrets that were found in it. */
  readonly secrets?: readonly FoundSecret[];
  /** Traces of this machine in it. */
  readonly traces?: readonly FoundTrace[];
  /** What its language sees in it; undefined where the language is not known. */
  readonly view?: LanguageView;
}

/** A secret, without its value. */
export interface FoundSecret {
  /** Where it stands, or the name of a setting; and the file of the artifact that that is in. */
  readonly path: string;
  readonly file: string;
  /** Counted from 1; 0 where there are no lines. */
  readonly line: number;
  /** `a private key (PEM)`. */
  readonly what: string;
  readonly fingerprint: string;
  readonly isSetting?: true;
}

/** Something of the machine that built it. */
export interface FoundTrace {
  /** Where it stands, and the file of the artifact that that is in. */
  readonly path: string;
  readonly file: string;
  /** `the home of who built it`. */
  readonly what: string;
}

/** What is particular to the machine and the person. */
export interface Surroundings {
  /** Absolute paths: the project, the home. */
  readonly folders: readonly string[];
  readonly user: string;
  readonly host: string;
}

/** An event of the sheet, or why it cannot be read. */
export type EventFact =
  | { readonly name: string; readonly event: CloudEvent }
  | {
      readonly name: string;
      readonly fault: { readonly expected?: string; readonly found: string; readonly mend: string };
    };

/** What an artifact weighs, what it may, and what it did when that was recorded. Bytes. */
export interface GrowthFact {
  /** What may come on top, `5 %`. */
  readonly allow: string;
  readonly packed: { readonly before: number; readonly now: number; readonly allowed: number };
  readonly unpacked: { readonly before: number; readonly now: number; readonly allowed: number };
  /** What changed, the largest first. */
  readonly causes: readonly { readonly name: string; readonly by: number }[];
}

/**
 * How a package stands to an artifact: what is called reaches it; it is packed and not reached; it is packed and was not
 * traced; nothing of it is in there.
 */
export type PackageStanding = 'reached' | 'packed' | 'untraced' | 'left-out';

/** A package that others published, as it stands to an artifact. */
export interface PackageFact {
  readonly name: string;
  readonly version: string;
  /** Package URL. */
  readonly purl: string;
  /** Its name as its ecosystem compares it, and what OSV calls that. */
  readonly plainName: string;
  readonly ecosystem: string;
  /** Of its file, where that is recorded. */
  readonly sha256?: string;
  /** Who asks for it. */
  readonly by: readonly string[];
  readonly standing: PackageStanding;
  /** Paths in the package of what is reached. */
  readonly reached: readonly string[];
  /** Paths in the package of what is in the artifact. */
  readonly packed: readonly string[];
  /** Whether the text of its licence is in the artifact. */
  readonly hasText: boolean;
  /** Undefined where its file is not here to be read. */
  readonly licence?: PackageLicence;
}

/** A known fault of a package of the artifact. */
export interface AdvisoryFact {
  /** The record's own name, and those that others have for it. */
  readonly id: string;
  readonly aliases: readonly string[];
  readonly summary: string;
  /** As the record scores it: the vector of a standard, or a word. */
  readonly severity?: string;
  readonly package: PackageFact;
  /** The first version without it that comes after; undefined where the record names none. */
  readonly fixed?: string;
  /** The modules that have the fault, where the record names them. */
  readonly modules: readonly string[];
  /** Of those, what is reached; for all of the package where the record names none. */
  readonly standing: PackageStanding;
}

/** How the papers of an artifact stand to each other and to what its destination wants. */
export interface PapersFact {
  readonly hasBill: boolean;
  readonly hasProvenance: boolean;
  /** Claims that do not hold, that of who has signed among them, with what was found instead. */
  readonly failed: readonly { readonly what: string; readonly found: string }[];
}

/** What is known about the function, from the sheet or the command line; the rest is undefined. */
export interface FunctionFacts {
  readonly name?: string;
  readonly arch?: Arch;
  readonly runtime?: Runtime;
  readonly entry?: Entry;
  readonly settings?: readonly Setting[];
  readonly limits?: Limits;
  readonly memoryBytes?: number;
  readonly timeoutMs?: number;
  readonly adapter?: string;
  /** For a web application: the shape of its requests. */
  readonly shape?: Shape;
  /** The events that the sheet names. */
  readonly events?: readonly EventFact[];
  /** The keys of the sheet that only its language has. */
  readonly byLanguage?: FunctionSpec['byLanguage'];
  /** What must not be told by what was compiled here. */
  readonly surroundings?: Surroundings;
  /** What was recorded when the artifact was built. */
  readonly waybill?: Waybill;
  /** The packages that others published. */
  readonly packages?: readonly PackageFact[];
  /** Known faults of them, where the team has records of such. */
  readonly advisories?: readonly AdvisoryFact[];
  /** Its papers, where the destination wants some. */
  readonly papers?: PapersFact;
  /** What the team says of licences. */
  readonly licences?: LicencePolicy;
  /** How it stands to recorded weights; undefined where none are. */
  readonly growth?: GrowthFact;
  /** Whether the lock is what the requirements ask for today; undefined where nothing is needed. */
  readonly lock?: 'current' | 'outdated' | 'missing';
}

export interface RuleContext {
  readonly subject: Subject;
  readonly destination: Destination;
  readonly facts: FunctionFacts;
  /** Today, `2026-11-24`. */
  readonly today: string;
}

/** How much of a limit is used. */
export interface Gauge {
  readonly used: number;
  readonly allowed: number;
  readonly unit: 'bytes' | 'count';
  /** Who sets the limit. */
  readonly by: string;
}

export interface RuleResult {
  readonly findings: readonly Finding[];
  readonly gauge?: Gauge;
}

/** Facts without which a rule cannot be applied. */
export type Need =
  | 'arch'
  | 'runtime'
  | 'entry'
  | 'settings'
  | 'waybill'
  | 'lock'
  | 'events'
  | 'growth'
  | 'packages'
  | 'advisories'
  | 'papers';

export interface Rule {
  /** `size/packed`. */
  readonly id: string;
  /** The level of what it usually finds. */
  readonly level: Level;
  /** What it holds to be right, a sentence without its full stop. */
  readonly title: string;
  /** Why that matters, one or two sentences. */
  readonly why: string;
  /** What to do about a finding. */
  readonly mend: string;
  readonly needs: readonly Need[];
  /** What it asks the view of a language; languages whose view does not answer are passed over. */
  readonly asks?: keyof LanguageView;
  /** Whether it is about forms that are layers on a base, or about the others; about all of them where it does not say. */
  readonly isOfLayers?: boolean;
  check(context: RuleContext): RuleResult;
}

/** The result of a rule that has no gauge. */
export function findings(...found: readonly Finding[]): RuleResult {
  return { findings: found };
}
