/**
 * Papers at a registry: attached to what they are about (OCI image specification 1.1, "Image Manifest", `subject`). A
 * registry that does not list what refers to a manifest keeps the list under a tag (OCI distribution specification 1.1,
 * "Referrers Tag Schema").
 */
import { join } from 'node:path';
import { statSync } from 'node:fs';
import { guarded } from '../../../../disk/write';
import {
  describeBytes,
  EMPTY_BYTES,
  EMPTY_DESCRIPTOR,
  hexOf,
  OCI_INDEX,
  OCI_MANIFEST,
  writeIndex,
  type Descriptor,
} from '../../../../formats/oci';
import { PAPER_KINDS, PAPERS, type PaperKind } from '../../../../project/papers';
import {
  deleteManifest,
  listReferrers,
  pullBlob,
  pullManifest,
  pushBlob,
  pushBytes,
  pushManifest,
  type RegistryConnection,
  type UploadMemory,
} from '../../../../sources/registry';
import type { Delivery } from '../../ledger';
import type { PayloadFile, PayloadPaper, PayloadPart } from '../../payload';
import { WAYBILL_TYPE } from './documents';
import { layersIn } from './layers';
import type { SentBlob } from '../way';

const TITLE = 'org.opencontainers.image.title';

export interface Place {
  readonly connection: RegistryConnection;
  readonly repository: string;
}

/** A paper, or the waybill of an image, with the type by which it is known. */
interface Attached extends PayloadFile {
  readonly mediaType: string;
  readonly title: string;
}

/** @param hasWaybill whether the waybill lies under the manifest itself */
export async function attachPapers(
  place: Place,
  subject: Descriptor,
  part: PayloadPart,
  { hasWaybill, name, memory }: { readonly hasWaybill: boolean; readonly name: string; readonly memory: UploadMemory },
): Promise<SentBlob[]> {
  if (part.papers.length === 0) return [];
  const waybill = { ...part.waybill, mediaType: WAYBILL_TYPE, title: `${name}.waybill.json` };
  const files: Attached[] = [
    ...(hasWaybill ? [] : [waybill]),
    ...part.papers.map((one) => ({
      ...one,
      mediaType: PAPERS[one.kind].mediaType,
      title: `${name}${PAPERS[one.kind].ending}`,
    })),
  ];
  const { connection, repository } = place;
  const sent: SentBlob[] = [];
  const unlisted: ReturnType<typeof referrerOf>[] = [];
  await pushBytes(connection, repository, { digest: EMPTY_DESCRIPTOR.digest, bytes: EMPTY_BYTES });
  for (const file of files) {
    const digest = `sha256:${file.sha256}`;
    const descriptor = { mediaType: file.mediaType, digest, size: file.size };
    const content = { path: file.path, at: 0, size: file.size };
    const how = await pushBlob(connection, { name: repository, descriptor, content, mountFrom: [], memory });
    sent.push({ name: file.mediaType, digest, size: file.size, how });
    const referrer = referrerOf(file, descriptor, subject);
    const isListed = await pushManifest(
      connection,
      repository,
      referrer.descriptor.digest,
      referrer.descriptor,
      referrer.bytes,
    );
    if (!isListed) unlisted.push(referrer);
  }
  if (unlisted.length > 0) await listUnderTag(place, subject, unlisted);
  return sent;
}

function referrerOf(file: Attached, layer: Descriptor, subject: Descriptor) {
  const annotations = { [TITLE]: file.title };
  const bytes = Buffer.from(
    JSON.stringify({
      schemaVersion: 2,
      mediaType: OCI_MANIFEST,
      artifactType: file.mediaType,
      config: EMPTY_DESCRIPTOR,
      layers: [{ ...layer, annotations }],
      subject: { mediaType: subject.mediaType, digest: subject.digest, size: subject.size },
      annotations,
    }),
  );
  return { descriptor: describeBytes(OCI_MANIFEST, bytes), bytes, artifactType: file.mediaType };
}

async function listUnderTag(
  { connection, repository }: Place,
  subject: Descriptor,
  referrers: readonly ReturnType<typeof referrerOf>[],
): Promise<void> {
  const known = await listReferrers(connection, repository, subject.digest);
  const own = referrers.map(({ descriptor, artifactType }) => ({ ...descriptor, artifactType }));
  const others = known.filter(({ digest }) => !own.some((one) => one.digest === digest));
  const bytes = writeIndex({ mediaType: OCI_INDEX, manifests: [...others, ...own], annotations: {} });
  await pushManifest(connection, repository, referrersTag(subject.digest), describeBytes(OCI_INDEX, bytes), bytes);
}

/** Brings those that the ledger has: what others attached is not ours to take. */
export async function attachedPapers(
  { connection, repository }: Place,
  delivery: Delivery,
  { arch, digest, into }: { readonly arch: string; readonly digest: string; readonly into: string },
): Promise<{ readonly papers: readonly PayloadPaper[]; readonly waybill: PayloadFile | undefined }> {
  const papers: PayloadPaper[] = [];
  let waybill: PayloadFile | undefined;
  if (delivery.papers?.[arch] === undefined) return { papers, waybill };
  for (const layer of await layersOfReferrers({ connection, repository }, digest)) {
    const kind = kindOf(delivery, arch, layer.digest);
    const isWaybill = delivery.waybills?.[arch] === layer.digest;
    if (kind === undefined && !isWaybill) continue;
    const path = join(into, `${hexOf(layer.digest)}${kind === undefined ? '.waybill.json' : PAPERS[kind].ending}`);
    await pullBlob(connection, repository, layer, { path });
    const size = guarded(path, () => statSync(path).size);
    const file = { path, shown: `${repository}@${layer.digest}`, sha256: hexOf(layer.digest), size };
    if (kind === undefined) waybill = file;
    else papers.push({ ...file, kind });
  }
  return { papers, waybill };
}

/** @returns digests of the manifests that are gone */
export async function detachPapers(
  { connection, repository }: Place,
  delivery: Delivery,
  digest: string,
): Promise<string[]> {
  const ours = new Set([
    ...Object.values(delivery.papers ?? {}).flatMap((one) => Object.values(one)),
    ...Object.values(delivery.waybills ?? {}),
  ]);
  const deleted: string[] = [];
  if (delivery.papers === undefined) return deleted;
  for (const { digest: referrer } of await listReferrers(connection, repository, digest)) {
    const layers = layersIn((await pullManifest(connection, repository, referrer))?.bytes);
    if (layers.some((one) => ours.has(one.digest)) && (await deleteManifest(connection, repository, referrer)))
      deleted.push(referrer);
  }
  if (deleted.length > 0) await unlistUnderTag({ connection, repository }, digest, deleted);
  return deleted;
}

/** Where the list lies under a tag it goes with the last of what it lists. */
async function unlistUnderTag(
  { connection, repository }: Place,
  digest: string,
  gone: readonly string[],
): Promise<void> {
  const tag = referrersTag(digest);
  const found = await pullManifest(connection, repository, tag);
  if (found === undefined) return;
  const manifests = (await listReferrers(connection, repository, digest)).filter((one) => !gone.includes(one.digest));
  if (manifests.length === 0) {
    await deleteManifest(connection, repository, found.descriptor.digest);
    return;
  }
  const bytes = writeIndex({ mediaType: OCI_INDEX, manifests, annotations: {} });
  await pushManifest(connection, repository, tag, describeBytes(OCI_INDEX, bytes), bytes);
}

/** The tag under which the list of what refers to a manifest is kept. */
export function referrersTag(digest: string): string {
  return `sha256-${hexOf(digest)}`;
}

function kindOf(delivery: Delivery, arch: string, digest: string): PaperKind | undefined {
  return PAPER_KINDS.find((kind) => delivery.papers?.[arch]?.[kind] === digest);
}

async function layersOfReferrers({ connection, repository }: Place, digest: string): Promise<Descriptor[]> {
  const layers: Descriptor[] = [];
  for (const referrer of await listReferrers(connection, repository, digest))
    layers.push(...layersIn((await pullManifest(connection, repository, referrer.digest))?.bytes));
  return layers;
}
