/**
 * Whether bills of materials are those of an artifact: its digest; exactly the files of its waybill, each with its digest; and
 * every package that the waybill has a digest of, but for files that only describe one (`.mod`). What a bill says of further
 * packages, of versions and of licences is not held against anything.
 */
import { z } from 'zod';
import { jsonOf } from '../../base/json';
import { printable } from '../../base/text';
import { PAPERS } from '../../project/papers';
import type { Waybill } from '../../waybill';
import type { Claim, VerifyRequest } from './claim';

/** What is held against the waybill: digests of files by their paths, and of packages by name and version. */
interface BillContent {
  readonly artifact: string | undefined;
  readonly files: ReadonlyMap<string, string>;
  readonly packages: ReadonlySet<string>;
}

/** What each bill claims and whether it holds; without a waybill only the digest of the artifact is held against it. */
export function billClaims({ sha256, waybill, papers }: Pick<VerifyRequest, 'sha256' | 'waybill' | 'papers'>): Claim[] {
  const read = { cyclonedx: readCycloneDx, spdx: readSpdx };
  return (['cyclonedx', 'spdx'] as const).flatMap((kind) => {
    const text = papers[kind];
    if (text === undefined) return [];
    const what = `the ${PAPERS[kind].title} is of the artifact`;
    const content = read[kind](text);
    if (content === undefined) return [{ what, holds: false, found: 'a document of another form' }];
    const fault = faultOf(content, sha256, waybill?.value);
    return [fault === undefined ? { what, holds: true } : { what, holds: false, found: fault }];
  });
}

function faultOf(
  { artifact, files, packages }: BillContent,
  sha256: string,
  waybill: Waybill | undefined,
): string | undefined {
  if (artifact !== sha256) return `it is of SHA-256 ${printable(artifact ?? 'nothing').slice(0, 12)}…`;
  if (waybill === undefined) return undefined;
  const own = new Map(
    waybill.files.flatMap((one) => (one.kind === 'file' ? [[one.path, one.sha256 ?? ''] as const] : [])),
  );
  for (const [path, digest] of own) {
    const stated = files.get(path);
    if (stated === undefined) return `${printable(path)} is missing`;
    if (stated !== digest) return `${printable(path)} has another digest`;
  }
  const extra = [...files.keys()].find((path) => !own.has(path));
  if (extra !== undefined) return `${printable(extra)} is not in the artifact`;
  const missing = waybill.packages.find(({ sha256: digest }) => !packages.has(digest));
  // Files that are not packages, such as descriptions of them, have no place in a bill.
  if (missing !== undefined && !missing.file.endsWith('.mod'))
    return `the package ${printable(missing.name)} is missing`;
  return undefined;
}

const hashes = z.array(z.looseObject({ alg: z.string(), content: z.string() })).optional();

interface Component {
  readonly type: string;
  readonly name: string;
  readonly 'bom-ref'?: string | undefined;
  readonly hashes?: z.output<typeof hashes>;
  readonly components?: Component[] | undefined;
}

const component: z.ZodType<Component> = z.looseObject({
  type: z.string(),
  name: z.string(),
  'bom-ref': z.string().optional(),
  hashes,
  get components() {
    return z.array(component).optional();
  },
});

const cycloneDx = z.looseObject({
  bomFormat: z.literal('CycloneDX'),
  metadata: z.looseObject({ component: z.looseObject({ hashes }) }),
  components: z.array(component),
});

function readCycloneDx(text: string): BillContent | undefined {
  const read = cycloneDx.safeParse(jsonOf(text));
  if (!read.success) return undefined;
  const files = new Map<string, string>();
  const packages = new Set<string>();
  const open = [...read.data.components];
  for (const one of open) {
    open.push(...(one.components ?? []));
    const digest = sha256Of(one.hashes);
    if (one.type === 'file' && one['bom-ref']?.startsWith('file:') === true) files.set(one.name, digest ?? '');
    if (one.type === 'library' && digest !== undefined) packages.add(digest);
  }
  return { artifact: sha256Of(read.data.metadata.component.hashes), files, packages };
}

function sha256Of(all: z.output<typeof hashes>): string | undefined {
  return all?.find(({ alg }) => alg === 'SHA-256')?.content;
}

const checksums = z.array(z.looseObject({ algorithm: z.string(), checksumValue: z.string() })).optional();

const spdx = z.looseObject({
  spdxVersion: z.literal('SPDX-2.3'),
  packages: z.array(z.looseObject({ SPDXID: z.string(), name: z.string(), checksums })),
  files: z.array(z.looseObject({ fileName: z.string(), checksums })).optional(),
});

function readSpdx(text: string): BillContent | undefined {
  const read = spdx.safeParse(jsonOf(text));
  if (!read.success) return undefined;
  const plain = (all: z.output<typeof checksums>): string | undefined =>
    all?.find(({ algorithm }) => algorithm === 'SHA256')?.checksumValue;
  const [artifact, ...packages] = read.data.packages;
  return {
    artifact: plain(artifact?.checksums),
    files: new Map(
      (read.data.files ?? []).map((one) => [one.fileName.replace(/^\.\//, ''), plain(one.checksums) ?? '']),
    ),
    packages: new Set(packages.flatMap((one) => plain(one.checksums) ?? [])),
  };
}
