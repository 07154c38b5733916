/** What a way to a destination is, and does. Each is one folder beside this file; nothing else knows how it goes. */
import type { Project } from '../../../project/targets';
import type { Arch, Deliver, DeliverBy, SheetWay, WayName } from '../../../sheet';
import type { Network } from '../../../sources';
import type { RegistryConnection, UploadMemory } from '../../../sources/registry';
import type { Credentials } from '../../../toolchains/credentials';
import type { Pushed } from '../../../sources/registry';
import type { Delivery } from '../ledger';
import type { Payload, PayloadPart } from '../payload';
import type { HostClient } from '../host-client';

/** What of a function has to be sent. */
export type What = 'code' | 'settings' | 'both' | 'nothing';

/** Something that is one way here and another way there. */
export interface Drift {
  /** `digest`, `memory`, `setting ALERT_LEVEL_CM`. */
  readonly what: string;
  /** As the sheet and the build have it; fit for printing. */
  readonly here: string;
  readonly there: string;
}

export interface DeliveryStatus {
  readonly what: What;
  readonly drifts: readonly Drift[];
  /** The way's own, for sending after the look. */
  readonly seen?: unknown;
}

/** Something that was sent, or was there. */
export interface SentBlob {
  /** `artifact arm64`, `waybill arm64`, `surge-model`. */
  readonly name: string;
  /** `sha256:…`. */
  readonly digest: string;
  readonly size: number;
  readonly how: Pushed;
}

/** Where all of it came to lie. */
export type Placed = Pick<Delivery, 'digest' | 'locations' | 'beside' | 'repository' | 'tags' | 'version'> & {
  /** Digests of images, which are known by their manifests. */
  readonly artifacts?: Delivery['artifacts'];
  readonly blobs: readonly SentBlob[];
};

export interface SendOptions {
  /** For a registry; one made of the digest where there are none. */
  readonly tags: readonly string[];
  /** Files that may be under way at once. */
  readonly jobs: number;
  readonly onProgress: (doneBytes: number, totalBytes: number) => void;
}

/** What became of something that was taken back. */
export interface TakenBack {
  /** What is gone: digests, versions. */
  readonly deleted: readonly string[];
  readonly kept: readonly string[];
  /** Tags that go on naming what stays, since the registry does not delete tags alone. */
  readonly tagsLeft: readonly string[];
  /** What others have made to refer to it, such as signatures, by digest. It stays: who made it takes it back. */
  readonly referrers: readonly string[];
  /** Tags that are still in the repository, and that no delivery of the ledger has. */
  readonly unknownTags: readonly string[];
  /** The version that runs from now on, at a host. */
  readonly current?: string;
}

export const NOTHING_LEFT: TakenBack = { deleted: [], kept: [], tagsLeft: [], referrers: [], unknownTags: [] };

/** What the ways need of the world. */
export interface DeliveryWorld {
  readonly project: Project;
  readonly registry: (host: string, plainHttp: boolean) => Promise<RegistryConnection>;
  /** Undefined for `--offline`. */
  readonly network: () => Promise<Network | undefined>;
  readonly credentials: Credentials;
  readonly memory: UploadMemory;
  /** The environment of the command. */
  readonly env: Readonly<Record<string, string | undefined>>;
  /** Milliseconds since 1970. */
  readonly now: () => number;
}

/** A way of delivery. Light: always there. */
export interface WayKind<Name extends WayName = WayName> extends SheetWay<Name> {
  /** @throws EmballageError USAGE where something that it needs is not here */
  open(world: DeliveryWorld, deliver: DeliverBy<Name>): Promise<Way>;
  /**
   * How to get to where something was sent, wherever its destination leads today.
   * @param today how its destination is reached now
   * @throws EmballageError USAGE where that is needed and no longer tells
   */
  there(delivery: Delivery, today: Deliver | undefined, doing: string): DeliverBy<Name>;
  /** What asks and calls what stands there, where it can be asked. */
  client?(world: DeliveryWorld, deliver: DeliverBy<Name>): Promise<HostClient>;
}

export interface Way {
  readonly name: WayName;
  /** Where: `harbour.example:5000`, a folder, an address, a program. */
  readonly at: string;
  /** Whether it is told of entry, memory, time and settings, and keeps them. */
  readonly isTold: boolean;
  /** What differs from what stands there. @param last the newest delivery that stands there, by the ledger */
  look(payload: Payload, last: Delivery | undefined, options: Pick<SendOptions, 'tags'>): Promise<DeliveryStatus>;
  /** Sends what differs. What is there already is not sent; when it returns all of it was verified. */
  send(payload: Payload, look: DeliveryStatus, options: SendOptions): Promise<Placed>;
  /** Brings what stands there into a folder, each file verified by the digest in the ledger. */
  fetch(delivery: Delivery, wanted: FetchWanted): Promise<Fetched>;
  /** @param others deliveries that stand at the same place */
  takeBack(delivery: Delivery, others: readonly Delivery[]): Promise<TakenBack>;
}

export interface FetchWanted {
  /** Absolute path of a folder; a layout of an image fills it where only one architecture is wanted. */
  readonly into: string;
  /** All of them otherwise. */
  readonly arch?: Arch;
  readonly form: Payload['form'];
  readonly ending: string;
  readonly onProgress: (doneBytes: number, totalBytes: number) => void;
}

export interface Fetched {
  readonly parts: readonly PayloadPart[];
  readonly beside: readonly {
    readonly name: string;
    readonly path: string;
    readonly sha256: string;
    readonly size: number;
  }[];
}
