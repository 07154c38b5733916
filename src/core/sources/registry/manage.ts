/** What is at a registry (OCI distribution specification 1.1, "Content Discovery" and "Content Management"). */
import { z } from 'zod';
import { printable } from '../../base/text';
import { hexOf, MAX_MANIFEST_BYTES, readIndex, type Descriptor } from '../../formats/oci';
import type { NetworkResponse } from '../network';
import { jsonOf } from '../../base/json';
import type { RegistryConnection } from './connection';
import { pullManifest, pullScope } from './pull';

const tagList = z.looseObject({ tags: z.array(z.string()).nullable() });
const MAX_PAGES = 1000;

/** Whether it speaks the protocol at all, and takes us. */
export async function ping(registry: RegistryConnection): Promise<void> {
  const doing = `asking the registry ${printable(registry.host)}`;
  const response = await registry.send({ at: '/v2/', doing, scope: '', expects: [200] });
  await registry.small(response, MAX_MANIFEST_BYTES, doing);
}

/** All tags of a repository; undefined where there is no such repository. */
export async function listTags(registry: RegistryConnection, name: string): Promise<string[] | undefined> {
  const doing = `listing the tags of ${printable(name)}`;
  const tags: string[] = [];
  let at: string | undefined = `/v2/${name}/tags/list?n=1000`;
  for (let page = 0; at !== undefined; page++) {
    if (page >= MAX_PAGES) throw registry.bad(doing, `at most ${String(MAX_PAGES)} pages`, 'more');
    const response: NetworkResponse = await registry.send({ at, doing, scope: pullScope(name), expects: [200, 404] });
    const bytes = await registry.small(response, MAX_MANIFEST_BYTES, doing);
    if (response.status === 404) return undefined;
    const read = tagList.safeParse(jsonOf(bytes.toString('utf8')));
    if (!read.success) throw registry.bad(doing, 'a list of tags', 'something else');
    tags.push(...(read.data.tags ?? []));
    at = nextPage(registry, response, at, doing);
  }
  return tags;
}

/** The address of the next page (RFC 8288), which must be at the same registry. */
function nextPage(
  registry: RegistryConnection,
  response: NetworkResponse,
  at: string,
  doing: string,
): string | undefined {
  const [, link] = /<([^>]+)>\s*;[^,]*\brel="?next"?/.exec(response.headers.link ?? '') ?? [];
  if (link === undefined) return undefined;
  const next = new URL(link, new URL(at, registry.address));
  if (next.origin !== new URL(registry.address).origin)
    throw registry.bad(doing, 'the next page at the same registry', printable(next.host));
  return next.href;
}

/** Deletes a manifest or an index by its digest. @returns false where it is not there, or no longer */
export async function deleteManifest(registry: RegistryConnection, name: string, digest: string): Promise<boolean> {
  const doing = `deleting ${digest.slice(0, 19)} from ${printable(name)}`;
  const response = await registry.send({
    method: 'DELETE',
    at: `/v2/${name}/manifests/${digest}`,
    doing,
    scope: `repository:${name}:delete`,
    expects: [202, 404],
  });
  await registry.small(response, MAX_MANIFEST_BYTES, doing);
  return response.status === 202;
}

/** Deletes a tag and leaves what it names. @returns false where the registry cannot do that, or has no such tag */
export async function deleteTag(registry: RegistryConnection, name: string, tag: string): Promise<boolean> {
  const doing = `deleting the tag ${printable(tag)} of ${printable(name)}`;
  const response = await registry.send({
    method: 'DELETE',
    at: `/v2/${name}/manifests/${tag}`,
    doing,
    scope: `repository:${name}:delete`,
    expects: [202, 400, 404, 405],
  });
  await registry.small(response, MAX_MANIFEST_BYTES, doing);
  return response.status === 202;
}

/**
 * What refers to a manifest, such as its signatures. Registries that do not know the question keep the list under a tag
 * ("Referrers Tag Schema").
 */
export async function listReferrers(
  registry: RegistryConnection,
  name: string,
  digest: string,
): Promise<readonly Descriptor[]> {
  const doing = `listing what refers to ${digest.slice(0, 19)}`;
  const response = await registry.send({
    at: `/v2/${name}/referrers/${digest}`,
    doing,
    scope: pullScope(name),
    expects: [200, 404, 405],
  });
  const bytes = await registry.small(response, MAX_MANIFEST_BYTES, doing);
  if (response.status === 200) return readIndex(bytes, doing).manifests;
  const fallback = await pullManifest(registry, name, `sha256-${hexOf(digest)}`);
  return fallback === undefined ? [] : readIndex(fallback.bytes, doing).manifests;
}
