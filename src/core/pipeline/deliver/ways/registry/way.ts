/** Delivers to a registry of the open distribution standard: nothing that is there already, a tag last of all. */
import { readLedger } from '../../ledger';
import type { DeliveryWorld } from '../way';
import { mkdirSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { EmballageError } from '../../../../base/errors';
import { joinPath } from '../../../../base/paths';
import { severalAtOnce, summed } from '../../../../base/several';
import { guarded, linkOrCopy } from '../../../../disk/write';
import { hexOf, tagFault } from '../../../../formats/oci';
import { ARCHITECTURES, type Arch, type Registry } from '../../../../sheet';
import {
  deleteManifest,
  deleteTag,
  listReferrers,
  listTags,
  ping,
  pullBlob,
  pullManifest,
  pushBlob,
  pushBytes,
  pushManifest,
  pushScope,
  type RegistryConnection,
  type UploadMemory,
} from '../../../../sources/registry';
import { openForm, type BlobToPush } from '../../../../forms';
import type { Delivery } from '../../ledger';
import type { Payload, PayloadFile, PayloadPart } from '../../payload';
import { gone } from '../fetch-files';
import { documentsOf, WAYBILL_TYPE, type IndexToPush } from './documents';
import type { Fetched, FetchWanted, DeliveryStatus, Placed, SendOptions, SentBlob, TakenBack, Way } from '../way';
import { digestDrifts, paperDrifts, shortDigest } from '../files';
import { layersIn } from './layers';
import { attachedPapers, attachPapers, detachPapers } from './referrers';

const TAG_DIGITS = 12;
const MOST_AT_ONCE = 4;

export interface RegistryWayOptions {
  readonly registry: Registry;
  readonly connect: () => Promise<RegistryConnection>;
  readonly memory: UploadMemory;
  /** What stands at that registry, of all functions. */
  readonly standing: () => readonly Delivery[];
}

interface Seen {
  readonly index: IndexToPush;
  readonly tags: readonly string[];
}

export class RegistryWay implements Way {
  readonly name = 'registry';
  readonly isTold = false;
  readonly at: string;
  readonly #options: RegistryWayOptions;

  constructor(options: RegistryWayOptions) {
    this.#options = options;
    this.at = options.registry.host;
  }

  async look(
    payload: Payload,
    last: Delivery | undefined,
    options: Pick<SendOptions, 'tags'>,
  ): Promise<DeliveryStatus> {
    const index = await documentsOf(payload);
    const { digest } = index.descriptor;
    const tags = options.tags.length > 0 ? [...new Set(options.tags)] : [digest.slice(7, 7 + TAG_DIGITS)];
    for (const tag of tags) refuseTag(tag);
    const seen: Seen = { index, tags };
    const connection = await this.#options.connect();
    const repository = this.#repository(payload.name);
    const asking = { scope: pushScope(repository), verb: 'looking for' };
    for (const tag of tags) {
      const found = await pullManifest(connection, repository, tag, asking);
      if (found?.descriptor.digest === digest) continue;
      const drifts = digestDrifts(payload, last);
      const there = found === undefined ? 'nothing' : shortDigest(hexOf(found.descriptor.digest));
      const moved = { what: `tag ${tag}`, here: shortDigest(hexOf(digest)), there };
      return { what: 'code', drifts: drifts.length > 0 ? drifts : [moved], seen };
    }
    const papers = paperDrifts(payload, last);
    return { what: papers.length > 0 ? 'code' : 'nothing', drifts: papers, seen };
  }

  async send(payload: Payload, look: DeliveryStatus, options: SendOptions): Promise<Placed> {
    const { index, tags } = look.seen as Seen;
    const connection = await this.#options.connect();
    const repository = this.#repository(payload.name);
    if (look.what !== 'nothing') await ping(connection);
    const blobs = look.what === 'nothing' ? [] : await this.#sendBlobs(connection, repository, index, options);
    if (look.what !== 'nothing') {
      for (const { descriptor, bytes } of [...index.parts, ...index.beside])
        await pushManifest(connection, repository, descriptor.digest, descriptor, bytes);
      for (const part of payload.parts) {
        const subject = index.parts.find(({ arch }) => arch === part.arch)?.descriptor;
        const how = { hasWaybill: payload.form.isLayered !== true, name: payload.name, memory: this.#options.memory };
        if (subject !== undefined) blobs.push(...(await attachPapers({ connection, repository }, subject, part, how)));
      }
      // Last of all, so that a tag never names what is not there.
      for (const tag of tags) await pushManifest(connection, repository, tag, index.descriptor, index.bytes);
    }
    return { ...this.#placed(payload, index, repository), tags: [...tags], blobs };
  }

  async fetch(delivery: Delivery, { into, arch: only, form, ending, onProgress }: FetchWanted): Promise<Fetched> {
    const connection = await this.#options.connect();
    const repository = delivery.repository ?? this.#repository(delivery.function);
    guarded(into, () => mkdirSync(into, { recursive: true }));
    const archs = ARCHITECTURES.filter((arch) => delivery.artifacts[arch] !== undefined && (only ?? arch) === arch);
    const parts: PayloadPart[] = [];
    const data = new Map<string, PayloadFile>();
    for (const arch of archs) {
      const shown = delivery.locations[arch] ?? repository;
      const [, digest = ''] = shown.split('@');
      if ((await pullManifest(connection, repository, digest)) === undefined) throw gone(delivery, shown);
      const folder = form.isLayered === true && only !== undefined ? into : join(into, arch);
      const own = { arch, digest, into: join(into, `${arch}-papers`) };
      const { papers, waybill } = await attachedPapers({ connection, repository }, delivery, own);
      const { parts: inParts } = await openForm(form);
      if (inParts !== undefined) {
        await inParts.fetch({ registry: connection, name: repository, digest, arch, folder, onProgress });
        const image = { path: folder, shown, sha256: hexOf(digest), size: 0 };
        parts.push({ arch, ...image, waybill: waybill ?? image, papers });
        continue;
      }
      const files = await this.#fetchFiles(connection, repository, digest, folder);
      for (const one of files) data.set(one.sha256, one);
      parts.push({ arch, ...partOf(delivery, arch, files, ending), papers });
    }
    return { parts, beside: await this.#fetchBeside(connection, delivery, data, into) };
  }

  async #fetchBeside(
    connection: RegistryConnection,
    delivery: Delivery,
    known: ReadonlyMap<string, PayloadFile>,
    into: string,
  ): Promise<Fetched['beside']> {
    const repository = delivery.repository ?? this.#repository(delivery.function);
    const beside = [];
    for (const [name, { digest, location }] of Object.entries(delivery.beside ?? {})) {
      const [, at = ''] = location.split('@');
      const found =
        known.get(hexOf(digest)) ?? (await this.#fetchFiles(connection, repository, at, join(into, name)))[0];
      if (found?.sha256 !== hexOf(digest)) throw gone(delivery, location);
      beside.push({ name, ...found });
    }
    return beside;
  }

  async takeBack(delivery: Delivery, others: readonly Delivery[]): Promise<TakenBack> {
    const connection = await this.#options.connect();
    const repository = delivery.repository ?? this.#repository(delivery.function);
    const referrers = await listReferrers(connection, repository, delivery.digest);
    const used = new Set(others.flatMap(manifestsOf));
    const deleted: string[] = [];
    const kept: string[] = [];
    for (const [, at = ''] of Object.values(delivery.locations).map((one) => one.split('@')))
      if (!used.has(at)) deleted.push(...(await detachPapers({ connection, repository }, delivery, at)));
    // The index before what it names: nothing may name what is no longer there.
    for (const digest of manifestsOf(delivery))
      if (used.has(digest)) kept.push(digest);
      else if (await deleteManifest(connection, repository, digest)) deleted.push(digest);
    const tagsLeft = kept.includes(delivery.digest) ? await deleteTags(connection, repository, delivery, others) : [];
    const tags = (await listTags(connection, repository)) ?? [];
    // Lists of what refers to a manifest are no tags of anybody.
    const named = tags.filter((tag) => !/^sha256-[0-9a-f]{64}$/.test(tag));
    const unknownTags = named.filter((tag) => !others.some((one) => one.tags?.includes(tag) === true));
    return { deleted, kept, tagsLeft, unknownTags, referrers: referrers.map(({ digest }) => digest) };
  }

  #repository(name: string): string {
    return joinPath(this.#options.registry.namespace, name);
  }

  #placed(payload: Payload, index: IndexToPush, repository: string): Omit<Placed, 'blobs'> {
    const at = (digest: string): string => `${this.at}/${repository}@${digest}`;
    const [first] = index.parts;
    const beside = payload.beside.map(({ name, sha256 }) => {
      const own = index.beside.find((one) => one.name === name) ?? first;
      return [name, { digest: `sha256:${sha256}`, location: at(own?.descriptor.digest ?? '') }] as const;
    });
    return {
      digest: index.descriptor.digest,
      repository,
      ...(payload.form.isLayered === true && {
        artifacts: Object.fromEntries(index.parts.map(({ arch, descriptor }) => [arch, descriptor.digest])),
      }),
      locations: Object.fromEntries(index.parts.map(({ arch, descriptor }) => [arch, at(descriptor.digest)])),
      ...(beside.length > 0 && { beside: Object.fromEntries(beside) }),
    };
  }

  async #sendBlobs(
    connection: RegistryConnection,
    repository: string,
    { parts, beside }: IndexToPush,
    options: SendOptions,
  ): Promise<SentBlob[]> {
    const all = new Map<string, BlobToPush>();
    for (const { blobs } of [...parts, ...beside]) for (const one of blobs) all.set(one.descriptor.digest, one);
    // The largest first, so that none is left to be waited for.
    const open = [...all.values()].sort((a, b) => b.descriptor.size - a.descriptor.size);
    const total = open.reduce((sum, { descriptor }) => sum + descriptor.size, 0);
    const mountFrom = this.#otherRepositories(repository);
    const progress = summed((done) => options.onProgress(done, total));
    const sent: SentBlob[] = [];
    await severalAtOnce(open, Math.min(Math.max(2, options.jobs), MOST_AT_ONCE), async ({ descriptor, content }) => {
      const { mediaType, digest, size } = descriptor;
      if (Buffer.isBuffer(content)) {
        await pushBytes(connection, repository, { digest, bytes: content });
        return;
      }
      const how = await pushBlob(connection, {
        name: repository,
        descriptor,
        content,
        mountFrom,
        memory: this.#options.memory,
        onProgress: (bytes) => progress(digest, bytes),
      });
      progress(digest, size);
      sent.push({ name: mediaType, digest, size, how });
    });
    return sent.sort((a, b) => b.size - a.size);
  }

  /** Repositories of the same registry that hold what other functions were sent with; bases are often the same. */
  #otherRepositories(own: string): string[] {
    const sent = this.#options.standing().flatMap(({ repository }) => repository ?? []);
    return [...new Set(sent)].filter((name) => name !== own).slice(-3);
  }

  async #fetchFiles(
    connection: RegistryConnection,
    repository: string,
    digest: string,
    into: string,
  ): Promise<(PayloadFile & { readonly mediaType: string })[]> {
    const pulled = await pullManifest(connection, repository, digest);
    const layers = layersIn(pulled?.bytes);
    guarded(into, () => mkdirSync(into, { recursive: true }));
    const files = [];
    for (const layer of layers) {
      const path = join(into, hexOf(layer.digest));
      await pullBlob(connection, repository, layer, { path });
      const shown = `${repository}@${layer.digest}`;
      files.push({ path, shown, sha256: hexOf(layer.digest), size: statSync(path).size, mediaType: layer.mediaType });
    }
    return files;
  }
}

/** The artifact among what lies under its manifest, with its ending, and its waybill. */
function partOf(
  delivery: Delivery,
  arch: Arch,
  files: readonly (PayloadFile & { readonly mediaType: string })[],
  ending: string,
): Omit<PayloadPart, 'arch' | 'papers'> {
  const wanted = hexOf(delivery.artifacts[arch] ?? 'sha256:');
  const artifact = files.find(({ sha256 }) => sha256 === wanted);
  const waybill = files.find(({ mediaType }) => mediaType === WAYBILL_TYPE);
  if (artifact === undefined || waybill === undefined) throw gone(delivery, delivery.locations[arch] ?? '');
  const path = `${artifact.path}${ending}`;
  guarded(path, () => linkOrCopy(artifact.path, path));
  return { ...artifact, path, waybill };
}

/** Digests of all manifests of a delivery, the index first. */
function manifestsOf({ digest, locations, beside = {} }: Delivery): string[] {
  const all = [...Object.values(locations), ...Object.values(beside).map(({ location }) => location)];
  return [...new Set([digest, ...all.map((one) => one.slice(one.indexOf('@') + 1))])];
}

/** Where the images stay for another delivery, the tags of this one go. @returns those that could not be deleted */
async function deleteTags(
  connection: RegistryConnection,
  repository: string,
  { tags = [] }: Delivery,
  others: readonly Delivery[],
): Promise<string[]> {
  const used = new Set(others.flatMap((one) => one.tags ?? []));
  const left: string[] = [];
  for (const tag of tags) if (!used.has(tag) && !(await deleteTag(connection, repository, tag))) left.push(tag);
  return left;
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

/** The way to a registry, which is spoken to when something is asked of it. */
export function openRegistry({ project, registry: connect, memory }: DeliveryWorld, registry: Registry): Way {
  const { host, plainHttp } = registry;
  return new RegistryWay({
    registry,
    memory,
    connect: () => connect(host, plainHttp),
    standing: () =>
      readLedger(project).deliveries.filter(
        ({ way, at, recalled }) => way === 'registry' && at === host && recalled === undefined,
      ),
  });
}
