/** What all kinds of bases share. */
import { contentDigest } from '../../../disk/digest';
import { OCI_ARCH, type Descriptor, type ImageConfig } from '../../../formats/oci';
import type { Compressor } from '../../packing';
import type { Arch, FunctionSpec } from '../../../sheet';
import type { RegistryConnection } from '../../../sources/registry';
import type { Machine } from '../../../toolchains/machine';
import type { Project } from '../../../project/targets';

export interface BaseRequest {
  readonly project: Project;
  readonly spec: FunctionSpec;
  readonly machine: Machine;
  readonly compressor: Compressor;
  /** @param plainHttp whether it may do without encryption although it is elsewhere */
  readonly registry: (host: string, plainHttp: boolean) => Promise<RegistryConnection>;
  readonly onProgress?: (doing: string, doneBytes: number, totalBytes: number) => void;
}

/** What a base is made of: the documents are in the store, and so are the layers. */
export interface TakenBase {
  readonly from: string;
  readonly digest?: string;
  readonly config: Descriptor;
  readonly layers: readonly (Descriptor & { readonly diffId: string })[];
}

/** Where a base of the project lies for an architecture. */
export function basePath(path: string, arch: Arch): string {
  return path.replaceAll('{arch}', arch);
}

/** Name of the note of what a root file system looked like when its layer was made. */
export function rootNote(path: string): string {
  return `root-${contentDigest(path).slice(0, 16)}.json`;
}

/** The configuration of a base that is none: nothing but the processor. */
export function emptyConfig(arch: Arch): ImageConfig {
  return {
    architecture: OCI_ARCH[arch],
    os: 'linux',
    run: { user: '', env: [], entrypoint: [], cmd: [], workingDir: '', labels: {}, exposedPorts: [], volumes: [] },
    diffIds: [],
    history: [],
  };
}
