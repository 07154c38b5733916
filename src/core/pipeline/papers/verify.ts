/** Whether artifact, waybill, papers and signatures belong together: claim by claim, none taken for another. */
import { z } from 'zod';
import { jsonOf } from '../../base/json';
import { printable } from '../../base/text';
import { contentDigest } from '../../disk/digest';
import { isSignedWith, isSshSignedWith, keyIdOf, readEnvelope, readSshSignature } from '../../formats/signing';
import { PAPERS } from '../../project/papers';
import type { Claim, KnownKey, VerifyRequest } from './claim';
import { billClaims } from './verify-bills';
import { PREDICATE_TYPE, STATEMENT_TYPE } from './statement';

const digestSet = z.looseObject({ sha256: z.string().optional() });
const statement = z.looseObject({
  _type: z.literal(STATEMENT_TYPE),
  predicateType: z.literal(PREDICATE_TYPE),
  subject: z.array(z.looseObject({ digest: digestSet })).min(1),
  predicate: z.looseObject({
    runDetails: z.looseObject({
      builder: z.looseObject({ id: z.string() }),
      byproducts: z.array(z.looseObject({ name: z.string().optional(), digest: digestSet })).optional(),
    }),
  }),
});

export type Statement = z.output<typeof statement>;

/** What is claimed, in the order in which one rests on another. */
export function verifyPapers(request: VerifyRequest): Claim[] {
  const { sha256, waybill, papers } = request;
  if (Object.keys(papers).length === 0) return [{ what: 'there are papers', holds: false, found: 'none' }];
  return [
    ...(waybill === undefined
      ? [{ what: 'the waybill is of the artifact', holds: 'unknown' as const, found: 'no waybill' }]
      : [same('the waybill is of the artifact', sha256, waybill.value.artifact.sha256)]),
    ...provenanceClaims(request),
    ...billClaims(request),
    ...signatureClaims(request),
  ];
}

function provenanceClaims({ sha256, waybill, papers }: VerifyRequest): Claim[] {
  const { provenance } = papers;
  if (provenance === undefined) return [];
  const read = statement.safeParse(jsonOf(provenance));
  if (!read.success) {
    const at = read.error.issues[0]?.path.map(String).join('.') ?? '';
    const found = `something else${at === '' ? '' : ` at \`${printable(at)}\``}`;
    return [{ what: 'the provenance is a statement of SLSA Provenance v1', holds: false, found }];
  }
  const { subject, predicate } = read.data;
  const named = (text: string | undefined, what: string): Claim[] => {
    if (text === undefined) return [];
    const digest = contentDigest(text);
    const stated = (predicate.runDetails.byproducts ?? []).map((one) => one.digest.sha256);
    const holds = stated.includes(digest);
    return [
      { what, holds, ...(!holds && { found: `another, SHA-256 ${digest.slice(0, 12)}…: it was changed since` }) },
    ];
  };
  return [
    same('the provenance is of the artifact', sha256, subject[0]?.digest.sha256),
    ...named(waybill?.text, 'the provenance names this waybill'),
    ...named(papers.cyclonedx, `the provenance names this ${PAPERS.cyclonedx.title}`),
    ...named(papers.spdx, `the provenance names this ${PAPERS.spdx.title}`),
  ];
}

function same(what: string, wanted: string, found: string | undefined): Claim {
  if (found === wanted) return { what, holds: true };
  return {
    what,
    holds: false,
    found: found === undefined ? 'nothing named' : `SHA-256 ${printable(found).slice(0, 12)}…`,
  };
}

function signatureClaims({ papers, keys }: VerifyRequest): Claim[] {
  const { provenance, envelope, ssh } = papers;
  const claims: Claim[] = [];
  const signers: string[] = [];
  const by: KnownKey[] = [];
  if (envelope !== undefined) {
    const read = readEnvelope(envelope);
    const what = 'the envelope holds this provenance';
    if (read === undefined) claims.push({ what, holds: false, found: 'no envelope of DSSE' });
    else if (read.payloadType !== PAPERS.provenance.mediaType)
      claims.push({ what, holds: false, found: `content of the type ${printable(read.payloadType)}` });
    else if (read.payload.toString('utf8') !== provenance)
      claims.push({ what, holds: false, found: 'another content' });
    else {
      claims.push({ what, holds: true });
      by.push(...keys.filter((key) => isSignedWith(read, key)));
      signers.push(...read.signatures.map(({ keyid }) => `a key called ${printable(keyid ?? 'nothing').slice(0, 12)}`));
    }
  }
  if (ssh !== undefined) {
    const read = readSshSignature(ssh);
    if (read === undefined || provenance === undefined)
      claims.push({ what: 'the SSH signature is one', holds: false, found: 'something else' });
    else {
      by.push(...keys.filter((key) => isSshSignedWith(read, Buffer.from(provenance, 'utf8'), key)));
      signers.push('an SSH key');
    }
  }
  return [...claims, ...keyClaim({ keys, by, signers })];
}

function keyClaim({
  keys,
  by,
  signers,
}: {
  readonly keys: readonly KnownKey[];
  readonly by: readonly KnownKey[];
  readonly signers: readonly string[];
}): Claim[] {
  const names = keys.map(({ shown }) => printable(shown));
  const who =
    keys.length === 0 ? 'somebody who is known' : keys.length === 1 ? names.join() : `one of ${names.join(', ')}`;
  const what = `${who} has signed it`;
  if (by.length > 0)
    return [
      { what, holds: true, found: by.map((one) => `${printable(one.shown)}, ${keyIdOf(one).slice(0, 12)}`).join('; ') },
    ];
  if (keys.length > 0) return [{ what, holds: false, found: signers.length === 0 ? 'nobody has' : signers.join('; ') }];
  return signers.length === 0
    ? []
    : [{ what, holds: 'unknown', found: `${signers.join('; ')}; name a key to hold it to` }];
}
