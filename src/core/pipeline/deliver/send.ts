/** Sends the image of a function to the registry of its destination, and takes back what was sent. */
import { join } from 'node:path';
import { EmballageError } from '../../base/errors';
import { joinPath } from '../../base/paths';
import { printable } from '../../base/text';
import { severalAtOnce, summed } from '../../base/several';
import { openLayout } from '../../disk/layout-files';
import {
  findBlob,
  manifestsOf,
  readDocuments,
  tagFault,
  type Descriptor,
  type ImageDocuments,
  type ImageLayout,
} from '../../formats/oci';
import { imageIndex } from '../../forms/image';
import type { Destination, FunctionSpec, Registry } from '../../sheet';
import {
  deleteManifest,
  deleteTag,
  listReferrers,
  listTags,
  ping,
  pullManifest,
  pushBlob,
  pushManifest,
  pushScope,
  type Pushed,
  type RegistryConnection,
  type UploadMemory,
} from '../../sources/registry';
import { verifyArtifact } from '../../project/verify-artifact';
import { exclusively } from '../../project/exclusive';
import { isPlainHttp, readLedger, standing, writeLedger, type Delivery } from './ledger';
import { artifactPath, targetsOf, type Project } from '../../project/targets';

export interface SendRequest {
  readonly project: Project;
  readonly spec: FunctionSpec;
  /** Tags to put on it; one made of its digest where there are none. */
  readonly tags: readonly string[];
  readonly registry: (host: string, plainHttp: boolean) => Promise<RegistryConnection>;
  readonly memory: UploadMemory;
  /** Blobs that may be under way at once. */
  readonly jobs: number;
  /** Milliseconds since 1970. */
  readonly now: () => number;
  readonly onProgress: (doneBytes: number, totalBytes: number) => void;
}

export interface SentBlob extends Descriptor {
  readonly how: Pushed;
}

export interface Sent {
  readonly delivery: Delivery;
  readonly blobs: readonly SentBlob[];
  /** Whether the same index was there under the same tags already. */
  readonly isSame: boolean;
}

interface OneImage extends ImageDocuments {
  readonly layout: ImageLayout;
  readonly arch: FunctionSpec['archs'][number];
}

const TAG_DIGITS = 12;
const MOST_AT_ONCE = 4;

/** The registry that a function is sent to. @throws EmballageError USAGE where its destination has none */
export function registryOf(
  project: Project,
  spec: FunctionSpec,
): { destination: Destination; registry: Registry; repository: string } {
  const destination = project.sheet.destinations[spec.destination];
  const doing = `sending ${spec.name}`;
  if (spec.form !== 'image')
    throw new EmballageError('USAGE', {
      doing,
      expected: 'a function with `artifact: image`',
      found: `\`artifact: ${spec.form}\``,
      mend: 'name a function whose artifact is an image; other forms are not sent yet',
    });
  if (destination?.registry === undefined)
    throw new EmballageError('USAGE', {
      doing,
      where: destination?.file ?? '',
      expected: '`registry`: where images are sent',
      found: `none in the destination ${spec.destination}`,
      mend: 'add `registry: HOST[:PORT]/NAMESPACE` to it',
    });
  return {
    destination,
    registry: destination.registry,
    repository: joinPath(destination.registry.namespace, spec.name),
  };
}

/** Sends it, whole, and notes it in the ledger; nothing that is there already is sent. */
export async function sendImage(request: SendRequest): Promise<Sent> {
  const { project, spec } = request;
  const { registry: at, repository } = registryOf(project, spec);
  const images = await openImages(project, spec);
  const index = imageIndex(
    images.map(({ descriptor, arch }) => ({ manifest: descriptor, arch })),
    spec.name,
  );
  const tags =
    request.tags.length > 0 ? [...new Set(request.tags)] : [index.descriptor.digest.slice(7, 7 + TAG_DIGITS)];
  for (const tag of tags) refuseTag(tag);
  const registry = await request.registry(at.host, at.plainHttp);
  await ping(registry);
  const isSame = await isThere(registry, repository, tags, index.descriptor.digest);
  const blobs = isSame ? [] : await sendBlobs(request, registry, repository, images);
  if (!isSame) {
    for (const { descriptor, manifestBytes } of images)
      await pushManifest(registry, repository, descriptor.digest, descriptor, manifestBytes);
    // Last of all, so that a tag never names what is not there.
    for (const tag of tags) await pushManifest(registry, repository, tag, index.descriptor, index.bytes);
  }
  const delivery: Delivery = {
    function: spec.name,
    destination: spec.destination,
    registry: at.host,
    repository,
    digest: index.descriptor.digest,
    tags,
    images: Object.fromEntries(images.map(({ arch, descriptor }) => [arch, descriptor.digest])),
    sent: new Date(request.now()).toISOString(),
  };
  await note(project, delivery);
  return { delivery, blobs, isSame };
}

/** What is sent again unchanged is noted once. Others may write to the ledger meanwhile, so it is read again. */
function note(project: Project, delivery: Delivery): Promise<void> {
  return exclusively({ state: project.state, what: 'ledger' }, () => noteAlone(project, delivery));
}

function noteAlone(project: Project, delivery: Delivery): void {
  const ledger = readLedger(project);
  const known = standing(ledger, delivery.function).find(
    (one) =>
      one.digest === delivery.digest &&
      one.registry === delivery.registry &&
      one.repository === delivery.repository &&
      one.tags.join() === delivery.tags.join(),
  );
  if (known === undefined) writeLedger(project, { ledger: 1, deliveries: [...ledger.deliveries, delivery] });
}

async function openImages(project: Project, spec: FunctionSpec): Promise<OneImage[]> {
  const images: OneImage[] = [];
  for (const target of targetsOf([spec])) {
    await verifyArtifact(project, target);
    const shown = artifactPath(target);
    const layout = await openLayout(join(project.root, shown), shown);
    for (const found of manifestsOf(layout, layout.index))
      images.push({ ...readDocuments(layout, found), layout, arch: target.arch });
  }
  return images;
}

async function isThere(
  registry: RegistryConnection,
  repository: string,
  tags: readonly string[],
  digest: string,
): Promise<boolean> {
  for (const tag of tags) {
    const asking = { scope: pushScope(repository), verb: 'looking for' };
    const found = await pullManifest(registry, repository, tag, asking);
    if (found?.descriptor.digest !== digest) return false;
  }
  return true;
}

async function sendBlobs(
  request: SendRequest,
  registry: RegistryConnection,
  repository: string,
  images: readonly OneImage[],
): Promise<SentBlob[]> {
  const all = new Map<string, { readonly descriptor: Descriptor; readonly layout: ImageLayout }>();
  for (const { manifest, layout } of images)
    for (const descriptor of [...manifest.layers, manifest.config]) all.set(descriptor.digest, { descriptor, layout });
  // The largest first, so that none is left to be waited for.
  const open = [...all.values()].sort((a, b) => b.descriptor.size - a.descriptor.size);
  const total = open.reduce((sum, { descriptor }) => sum + descriptor.size, 0);
  const mountFrom = otherRepositories(request.project, registry.host, repository);
  const progress = summed((done) => request.onProgress(done, total));
  const sent: SentBlob[] = [];
  await severalAtOnce(open, Math.min(Math.max(2, request.jobs), MOST_AT_ONCE), async ({ descriptor, layout }) => {
    const how = await pushBlob(registry, {
      name: repository,
      descriptor,
      content: findBlob(layout, descriptor),
      mountFrom,
      memory: request.memory,
      onProgress: (bytes) => progress(descriptor.digest, bytes),
    });
    progress(descriptor.digest, descriptor.size);
    sent.push({ ...descriptor, how });
  });
  return sent.sort((a, b) => b.size - a.size);
}

/** Repositories of the same registry that hold what other functions were sent with; bases are often the same. */
function otherRepositories(project: Project, host: string, own: string): string[] {
  const sent = readLedger(project).deliveries.filter((one) => one.registry === host && one.recalled === undefined);
  return [...new Set(sent.map(({ repository }) => repository))].filter((name) => name !== own).slice(-3);
}

function refuseTag(tag: string): void {
  const fault = tagFault(tag);
  if (fault === undefined) return;
  throw new EmballageError('USAGE', {
    doing: 'reading the command line',
    where: '--tag',
    expected: 'a tag as registries take it',
    found: fault,
    mend: 'correct it',
  });
}

export interface RecallRequest {
  readonly project: Project;
  readonly registry: SendRequest['registry'];
  /** Milliseconds since 1970. */
  readonly now: () => number;
}

export interface Recalled {
  readonly delivery: Delivery;
  /** Digests that are gone now; what others still use stays. */
  readonly deleted: readonly string[];
  readonly kept: readonly string[];
  /** Tags that go on naming what stays, since the registry does not delete tags alone. */
  readonly tagsLeft: readonly string[];
  /** What others have made to refer to it, such as signatures, by digest. It stays: who made it takes it back. */
  readonly referrers: readonly string[];
  /** Tags that are still in the repository, and that no delivery of the ledger has. */
  readonly unknownTags: readonly string[];
}

/** Takes back one delivery: its index and its images, as far as no other that stands uses them. */
export async function recall({ project, registry, now }: RecallRequest, delivery: Delivery): Promise<Recalled> {
  const ledger = readLedger(project);
  const connection = await registry(delivery.registry, isPlainHttp(project, delivery));
  const others = ledger.deliveries.filter(
    (one) =>
      one.recalled === undefined &&
      one.registry === delivery.registry &&
      one.repository === delivery.repository &&
      !isSameDelivery(one, delivery),
  );
  const referrers = await listReferrers(connection, delivery.repository, delivery.digest);
  const used = new Set(others.flatMap(({ digest, images }) => [digest, ...Object.values(images)]));
  const deleted: string[] = [];
  const kept: string[] = [];
  // The index first: nothing may name what is no longer there.
  for (const digest of new Set([delivery.digest, ...Object.values(delivery.images)]))
    if (used.has(digest)) kept.push(digest);
    else if (await deleteManifest(connection, delivery.repository, digest)) deleted.push(digest);
  const tagsLeft = kept.includes(delivery.digest) ? await deleteTags(connection, delivery, others) : [];
  const recalled = new Date(now()).toISOString();
  await exclusively({ state: project.state, what: 'ledger' }, () =>
    writeLedger(project, {
      ledger: 1,
      deliveries: readLedger(project).deliveries.map((one) =>
        isSameDelivery(one, delivery) ? { ...one, recalled } : one,
      ),
    }),
  );
  const tags = (await listTags(connection, delivery.repository)) ?? [];
  const unknownTags = tags.filter((tag) => !others.some((one) => one.tags.includes(tag)));
  return { delivery, deleted, kept, tagsLeft, unknownTags, referrers: referrers.map(({ digest }) => digest) };
}

/** Where the images stay for another delivery, the tags of this one go. @returns those that could not be deleted */
async function deleteTags(
  connection: RegistryConnection,
  { repository, tags }: Delivery,
  others: readonly Delivery[],
): Promise<string[]> {
  const used = new Set(others.flatMap((one) => one.tags));
  const left: string[] = [];
  for (const tag of tags) if (!used.has(tag) && !(await deleteTag(connection, repository, tag))) left.push(tag);
  return left;
}

function isSameDelivery(a: Delivery, b: Delivery): boolean {
  return a.digest === b.digest && a.sent === b.sent && a.repository === b.repository && a.registry === b.registry;
}

/** What of a function’s deliveries is to be taken back. */
export function toRecall(
  project: Project,
  name: string,
  { digest, keep, all }: { readonly digest?: string; readonly keep?: number; readonly all: boolean },
): Delivery[] {
  const newest = standing(readLedger(project), name);
  if (digest !== undefined) {
    const found = newest.filter(
      (one) => one.digest === digest || one.digest.slice(7).startsWith(digest.replace('sha256:', '')),
    );
    if (found.length > 0) return found;
    throw new EmballageError('USAGE', {
      doing: `recalling ${name}`,
      where: '--digest',
      expected: 'the digest of a delivery that stands',
      found: `\`${printable(digest)}\``,
      mend: `see \`emballage ledger ${name}\``,
    });
  }
  if (keep !== undefined) return newest.slice(keep);
  return all ? newest : newest.slice(0, 1);
}
