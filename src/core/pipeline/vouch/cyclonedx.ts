/** A bill of materials in the form of CycloneDX 1.6 (ECMA-424), JSON. */
import { formOf } from '../../forms';
import { ownOf } from '../../base/own';
import type { AdvisoryFact } from '../../findings/rule';
import { acceptanceOf } from './acceptance';
import { billId, type Bill, type BillFile, type BillPackage } from './bill';

type Json = Readonly<Record<string, unknown>>;

/** The bill in the words of CycloneDX 1.6. Same bill, same bytes. */
export function writeCycloneDx(bill: Bill): string {
  const { waybill, packages } = bill;
  const [tool = '', version = ''] = waybill.made.by.split(' ');
  const root = waybill.function;
  const document = {
    bomFormat: 'CycloneDX',
    specVersion: '1.6',
    serialNumber: `urn:uuid:${billId(bill, 'CycloneDX')}`,
    version: 1,
    metadata: {
      tools: { components: [{ type: 'application', name: tool, version }] },
      component: {
        type: formOf(waybill.form).isLayered === true ? 'container' : 'application',
        'bom-ref': root,
        name: waybill.function,
        description: `${waybill.form} for ${waybill.arch}, ${waybill.runtime}`,
        hashes: [sha256(waybill.artifact.sha256)],
        properties: [property('file', waybill.artifact.file), property('arch', waybill.arch)],
      },
    },
    components: [
      ...packages.map(packageComponent),
      ...bill.files.map((one) => fileComponent(one)),
      ...besideComponents(bill),
      ...baseComponent(bill),
    ],
    dependencies: [
      { ref: root, dependsOn: bill.needs },
      ...packages.map(({ ref, needs }) => ({ ref, dependsOn: needs })),
    ],
    ...(bill.advisories.length > 0 && { vulnerabilities: bill.advisories.map((one) => vulnerability(one, bill)) }),
  };
  return `${JSON.stringify(document, null, 2)}\n`;
}

function packageComponent(one: BillPackage): Json {
  const { ref, name, version, purl, licence, by } = one;
  const inside = [
    ...one.files.map((file) => fileComponent(file)),
    ...one.linked.map(({ path, into }) => ({
      type: 'file',
      'bom-ref': `module:${path}`,
      name: path,
      properties: [property('linked-into', into)],
    })),
    ...one.trimmed.map(({ path, by: rule }) => ({
      type: 'file',
      'bom-ref': `left-out:${ref}:${path}`,
      name: path,
      scope: 'excluded',
      properties: [property('left-out-by', rule)],
    })),
  ];
  return {
    type: 'library',
    'bom-ref': ref,
    name,
    ...(version !== '' && { version }),
    scope: one.isLeftOut ? 'excluded' : 'required',
    ...(one.sha256 !== undefined && { hashes: [sha256(one.sha256)] }),
    ...(licence !== undefined && {
      licenses: ['expression' in licence ? { expression: licence.expression } : { license: { name: licence.written } }],
    }),
    ...(purl !== undefined && { purl }),
    ...(by.length > 0 && { properties: by.map((asker) => property('asked-for-by', asker)) }),
    ...(inside.length > 0 && { components: inside }),
  };
}

function fileComponent({ path, sha256: digest, sha1 }: BillFile): Json {
  return {
    type: 'file',
    'bom-ref': `file:${path}`,
    name: path,
    hashes: [sha256(digest), { alg: 'SHA-1', content: sha1 }],
  };
}

function besideComponents({ waybill: { beside = [] } }: Bill): Json[] {
  return beside.map(({ name, file, sha256: digest }) => ({
    type: 'data',
    'bom-ref': `beside:${name}`,
    name,
    hashes: [sha256(digest)],
    properties: [property('beside', file)],
  }));
}

function baseComponent({ waybill: { image } }: Bill): Json[] {
  const { base } = image ?? {};
  if (base === undefined) return [];
  const digest = base.digest?.slice('sha256:'.length);
  return [
    {
      type: 'container',
      'bom-ref': 'base',
      name: base.from,
      ...(base.version !== undefined && { version: base.version }),
      ...(digest !== undefined && { hashes: [sha256(digest)] }),
      properties: base.layers.map((layer) => property('layer', layer.digest)),
    },
  ];
}

/** What is known of a fault, and why it does or does not touch the function: a VEX statement. */
function vulnerability(fact: AdvisoryFact, { accept }: Bill): Json {
  const { id, aliases, summary, severity, fixed } = fact;
  return {
    'bom-ref': `${id}:${fact.package.purl}`,
    id,
    ...(severity !== undefined && { ratings: [ratingOf(severity)] }),
    description: summary,
    ...(fixed !== undefined && { recommendation: `${fact.package.name} ${fixed} or later` }),
    analysis: analysisOf(fact, acceptanceOf(fact, accept)),
    affects: [{ ref: fact.package.purl, versions: [{ version: fact.package.version, status: 'affected' }] }],
    ...(aliases.length > 0 && { properties: aliases.map((one) => property('alias', one)) }),
  };
}

function analysisOf({ standing, modules }: AdvisoryFact, accepted: ReturnType<typeof acceptanceOf>): Json {
  const until = accepted === undefined ? '' : ` (until ${accepted.until})`;
  if (accepted?.because !== undefined)
    return { state: 'not_affected', justification: accepted.because, detail: `${accepted.reason}${until}` };
  if (standing === 'left-out')
    return { state: 'not_affected', justification: 'code_not_present', detail: 'It was left out of the artifact.' };
  if (standing === 'packed')
    return {
      state: 'not_affected',
      justification: 'code_not_reachable',
      detail: `Nothing that is called from the entry reaches ${modules.length > 0 ? modules.join(', ') : 'it'}, as far as it was traced.`,
    };
  if (accepted !== undefined)
    return { state: 'exploitable', response: ['will_not_fix'], detail: `${accepted.reason}${until}` };
  return { state: 'in_triage' };
}

const WORDS: Readonly<Record<string, string>> = { moderate: 'medium', important: 'high' };
const SEVERITIES = ['critical', 'high', 'medium', 'low', 'info', 'none'];

function ratingOf(severity: string): Json {
  const word = ownOf(WORDS, severity) ?? severity;
  if (SEVERITIES.includes(word)) return { severity: word };
  const [, version] = /^CVSS:(\d\.\d)\//.exec(severity) ?? [];
  const methods: Readonly<Record<string, string>> = { '3.0': 'CVSSv3', '3.1': 'CVSSv31', '4.0': 'CVSSv4' };
  return { method: methods[version ?? ''] ?? 'other', vector: severity };
}

function sha256(content: string): Json {
  return { alg: 'SHA-256', content };
}

function property(name: string, value: string): Json {
  return { name: `emballage:${name}`, value };
}
