/**
 * What a form is: its words and its part of a sheet, which are always at hand, and its work, which is loaded only for
 * artifacts of it. All that knows a form lies in its folder; everything else asks through what stands here.
 */
import type { Stats } from 'node:fs';
import type { FileSet } from '../fileset/model';
import type { Subject } from '../findings/rule';
import type { Descriptor, Stretch } from '../formats/oci';
import type { Assembly, ImageRun } from '../languages';
import type { Inputs } from '../project/inputs';
import type { LockedBase } from '../project/lock/lockfile';
import type { StateFolder } from '../project/state/state';
import type { Project, Target } from '../project/targets';
import type { Arch, FormFacts, FormId, FunctionSpec, SheetForm } from '../sheet';
import type { RegistryConnection } from '../sources/registry';
import type { Machine } from '../toolchains/machine';
import type { Waybill } from '../waybill';
import type { FormSides } from './comparing';
import type { Compressor, Store, StoredArtifact } from './packing';
import type { Knowing, ReadParts, ReadPartsRequest } from './weighing';

/** Light: always there. */
export interface Form<Id extends FormId = FormId> extends SheetForm<Id> {
  /** Whether something on disk may be one, by its name and kind; only then its work is asked. @param path absolute */
  mayBe(path: string, stat: Stats): boolean;
  readonly open: () => Promise<FormWork>;
}

/** Heavy: loaded for artifacts of the form. */
export interface FormWork {
  /** Whether it is one, by what is in it. @param path absolute @param shown its name for messages */
  isOne(path: string, shown: string): Promise<boolean>;
  /** Makes the artifact of one target, or finds it made. @throws EmballageError of what cannot be read or written */
  make(request: MakeRequest): Promise<Made>;
  /** When artifacts for all architectures of a function are in place. @param sha256 of each artifact */
  complete?(project: Project, spec: FunctionSpec, made: readonly { arch: Arch; sha256: string }[]): void;
  /** Before another artifact takes the place of the one that lies there. */
  replacing?(project: Project, target: Target): void;
  /** Opens an artifact as rules see it, for as long as `use` runs. @throws EmballageError of what is damaged */
  withSubject<T>(request: OpenRequest, use: (subject: Subject) => Promise<T>): Promise<T>;
  /** Lays an artifact out in a folder that is there; undefined where it is called as it lies. @returns folders that were made */
  readonly unpack?: (path: string, shown: string, into: string) => Promise<string[]>;
  /** Takes an artifact apart into what has weight. */
  weigh(request: ReadPartsRequest, knowing: Knowing): Promise<ReadParts>;
  /** How two are held against each other, where the open formats that they are made of do not tell it. */
  readonly sides?: FormSides;
  /** What artifacts stand on, where they stand on something that `lock` settles. */
  readonly base?: BaseWork;
  /** How it is sent in parts; sent as one file without it. */
  readonly parts?: PartsWork;
}

export interface MakeRequest extends Target {
  readonly project: Project;
  readonly assembly: Assembly;
  /** How images start functions of its language. */
  readonly run: ImageRun;
  /** What it stands on, as it was settled. */
  readonly base: LockedBase | undefined;
  /** SHA-256 of source files that have not changed, by path; undefined where nothing was built before. */
  readonly known: ReadonlyMap<string, string> | undefined;
  /** Seconds since 1970; undefined for the floor of the format. */
  readonly epochSeconds: number | undefined;
  readonly machine: Machine;
  readonly registry: (host: string, plainHttp: boolean) => Promise<RegistryConnection>;
  readonly compressor: Compressor;
  readonly store: Store;
  readonly onFetch: (doing: string, doneBytes: number, totalBytes: number) => void;
  readonly onPack: (doneBytes: number, totalBytes: number) => void;
}

/** An artifact, with the digest of each file in it. */
export interface Made {
  readonly artifact: StoredArtifact;
  /** SHA-256 by the path of the function. */
  readonly digests: ReadonlyMap<string, string>;
  /** Files that were packed anew, and files that were read. */
  readonly packed: number;
  readonly hashed: number;
  /** The time that entries carry, `1980-01-01 00:00:00`. */
  readonly time: string;
  /** Where the form puts files elsewhere than the function has them: all that is in it. */
  readonly laidOut?: LaidOut;
  /** Puts it under a name, whole or not at all. @param path absolute */
  place(path: string): void;
}

export interface LaidOut {
  readonly fileSet: Pick<FileSet, 'entries'>;
  /** SHA-256 by the path in the artifact. */
  readonly digests: ReadonlyMap<string, string>;
  readonly image: NonNullable<Waybill['image']>;
  /** Name of the layer that a path lies in. */
  readonly layerOf: (path: string) => string;
  /** Where a path of the function is in it. */
  readonly placed: (path: string) => string;
}

export interface OpenRequest {
  /** Absolute path, and the name for messages. */
  readonly path: string;
  readonly shown: string;
  /** What it is. */
  readonly form: FormFacts;
  /** Name of the file in it, for an executable by itself. */
  readonly name: string;
  /** Whether the content of every entry is known to be whole, so that it need not be unpacked to see. */
  readonly isVerified: boolean;
  /** Of an artifact that holds several. */
  readonly arch?: Arch | undefined;
  /** Absolute path of a folder for what has to be unpacked meanwhile; the caller removes it. */
  readonly scratch: string;
  /** Where it is kept what lies in layers; all are unpacked without it. */
  readonly state?: StateFolder | undefined;
}

/** What artifacts stand on. */
export interface BaseWork {
  /** Digest of what the sheet says about it; undefined where this one stands on nothing. */
  inputs(spec: FunctionSpec): string | undefined;
  /** What was settled. @throws EmballageError LOCK_OUTDATED when the sheet asks for another */
  locked(project: Project, spec: FunctionSpec): Promise<LockedBase | undefined>;
  /** What is settled for all architectures: `known` itself where that holds. Undefined where it stands on nothing. */
  settle(request: SettleBaseRequest, known: LockedBase | undefined): Promise<LockedBase | undefined>;
  /** Everything that bytes depend on by it. */
  dependsOn(project: Project, spec: FunctionSpec, base: LockedBase | undefined): Inputs;
  /** Where parts of it lie in the project, relative to it. */
  places(project: Project, spec: FunctionSpec): readonly { readonly path: string; readonly isFolder: boolean }[];
}

export interface SettleBaseRequest {
  readonly project: Project;
  readonly spec: FunctionSpec;
  readonly machine: Machine;
  readonly registry: (host: string, plainHttp: boolean) => Promise<RegistryConnection>;
  /** Threads that may work. */
  readonly jobs: number;
  /** Whether what was settled no longer counts. */
  readonly isUpgraded: boolean;
  readonly onSettling: (arch: Arch) => void;
  readonly onProgress: (doing: string, doneBytes: number, totalBytes: number) => void;
}

/** A manifest with its blobs, as a registry takes them. */
export interface ManifestToPush {
  readonly descriptor: Descriptor;
  readonly bytes: Buffer;
  readonly blobs: readonly BlobToPush[];
}

/** A blob, and where its content lies. */
export interface BlobToPush {
  readonly descriptor: Descriptor;
  readonly content: Stretch | Buffer;
}

export interface PartsWork {
  /** What of an artifact goes to a registry. @param path absolute */
  readonly manifests: (path: string, shown: string) => Promise<readonly ManifestToPush[]>;
  /** Brings one from a registry into a folder. */
  fetch(request: FetchPartsRequest): Promise<void>;
  /** Whether the one file lies beside an artifact as it was written from it. */
  isOneFileThere(project: Project, target: Target): boolean;
  /** Writes it where it does not. @returns its path, relative to the project */
  oneFile(project: Project, target: Target): Promise<string>;
  oneFilePath(target: Target): string;
}

export interface FetchPartsRequest {
  readonly registry: RegistryConnection;
  /** Of the repository. */
  readonly name: string;
  /** `sha256:…`, of the manifest. */
  readonly digest: string;
  readonly arch: Arch;
  /** Absolute path of a folder that is new or empty. */
  readonly folder: string;
  readonly onProgress: (doneBytes: number, totalBytes: number) => void;
}
