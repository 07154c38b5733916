/** The documents of an image (OCI image specification 1.1), as far as they are used here. */
import type { Arch } from '../../base/arch';

/** A reference to bytes by their digest (image-spec, "Descriptors"). */
export interface Descriptor {
  readonly mediaType: string;
  /** `sha256:…`. */
  readonly digest: string;
  /** Bytes. */
  readonly size: number;
  readonly platform?: Platform;
  readonly annotations?: Readonly<Record<string, string>>;
  readonly artifactType?: string;
}

export interface Platform {
  readonly architecture: string;
  readonly os: string;
  readonly variant?: string;
}

export interface Manifest {
  readonly mediaType: string;
  readonly artifactType?: string;
  readonly config: Descriptor;
  readonly layers: readonly Descriptor[];
  readonly subject?: Descriptor;
  readonly annotations: Readonly<Record<string, string>>;
}

export interface ImageIndex {
  readonly mediaType: string;
  readonly manifests: readonly Descriptor[];
  readonly subject?: Descriptor;
  readonly annotations: Readonly<Record<string, string>>;
}

/** How a container is started (image-spec, "Image Configuration", `config`). */
export interface RunConfig {
  readonly user: string;
  readonly env: readonly string[];
  readonly entrypoint: readonly string[];
  readonly cmd: readonly string[];
  readonly workingDir: string;
  readonly labels: Readonly<Record<string, string>>;
  readonly exposedPorts: readonly string[];
  readonly volumes: readonly string[];
  readonly stopSignal?: string;
}

export interface HistoryEntry {
  readonly created?: string;
  readonly created_by?: string;
  readonly author?: string;
  readonly comment?: string;
  readonly empty_layer?: boolean;
}

export interface ImageConfig {
  readonly architecture: string;
  readonly os: string;
  readonly variant?: string;
  readonly created?: string;
  readonly run: RunConfig;
  /** Digests of the layers, unpacked; the lowest first. */
  readonly diffIds: readonly string[];
  readonly history: readonly HistoryEntry[];
}

/** How images name processors (Go's names). */
export const OCI_ARCH: Readonly<Record<Arch, string>> = { x86_64: 'amd64', arm64: 'arm64' };

/** The architecture by the name that platforms of images have for it; undefined for others. */
export function archOfPlatform(architecture: string): Arch | undefined {
  return (Object.keys(OCI_ARCH) as Arch[]).find((arch) => OCI_ARCH[arch] === architecture);
}

/** Annotations of the standard (image-spec, "Pre-Defined Annotation Keys"). */
export const ANNOTATION = {
  created: 'org.opencontainers.image.created',
  title: 'org.opencontainers.image.title',
  refName: 'org.opencontainers.image.ref.name',
  baseName: 'org.opencontainers.image.base.name',
  baseDigest: 'org.opencontainers.image.base.digest',
} as const;
