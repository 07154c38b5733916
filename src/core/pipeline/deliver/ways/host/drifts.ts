/** What of a function stands at a host otherwise than it would be sent. */
import { scryptSync, timingSafeEqual } from 'node:crypto';
import { printable } from '../../../../base/text';
import { formatSize, formatTime } from '../../../../base/units';
import type { Configuration, Payload } from '../../payload';
import { SEAL, type VersionResult } from '../../protocol';
import { shortDigest } from '../files';
import type { Drift } from '../way';

export interface HostDrift extends Drift {
  /** Whether new content is needed to mend it. */
  readonly isCode: boolean;
}

/** Everything of which the host was told something else than it would be told now. */
export function driftsOf(payload: Payload, result: VersionResult | undefined): HostDrift[] {
  const content = contentDrifts(payload, result);
  if (result !== undefined)
    return [...content, ...toldDrifts(payload.configuration, result), ...settingDrifts(payload, result)];
  return [
    ...content,
    { what: 'configuration', here: 'entry, memory, time, settings', there: 'nothing', isCode: false },
  ];
}

function contentDrifts(payload: Payload, result: VersionResult | undefined): HostDrift[] {
  const rows: [what: string, here: string, there: string | undefined][] = [];
  for (const { arch, sha256, waybill } of payload.parts) {
    const there = result?.artifacts[arch];
    rows.push([`artifact ${arch}`, sha256, there?.sha256]);
    if (there?.sha256 === sha256) rows.push([`waybill ${arch}`, waybill.sha256, there.waybill]);
  }
  for (const { name, sha256 } of payload.beside) rows.push([name, sha256, result?.beside[name]?.sha256]);
  return rows
    .filter(([, here, there]) => here !== there)
    .map(([what, here, there]) => ({
      what,
      here: shortDigest(here),
      there: there === undefined ? 'nothing' : shortDigest(there),
      isCode: true,
    }));
}

function toldDrifts(own: Configuration, result: VersionResult): HostDrift[] {
  const here = { ...own, memory: own.memoryBytes, timeout: own.timeoutMs };
  const rows: [
    what: string,
    write: (of: Pick<VersionResult, 'memory' | 'timeout' | 'runtime' | 'entry'> & Adapted) => string,
  ][] = [
    ['runtime', (of) => of.runtime],
    ['entry', (of) => of.entry],
    ['memory', (of) => formatSize(of.memory)],
    ['timeout', (of) => formatTime(of.timeout)],
    ['adapter', (of) => of.adapter ?? 'none'],
    ['shape', (of) => of.shape ?? 'none'],
  ];
  return rows.flatMap(([what, write]) => {
    const [mine, theirs] = [write(here), write(result)];
    return mine === theirs ? [] : [{ what, here: printable(mine), there: printable(theirs), isCode: false }];
  });
}

interface Adapted {
  readonly adapter?: string | undefined;
  readonly shape?: string | undefined;
}

type ToldSetting = VersionResult['settings'][string];

interface Wanted {
  readonly here: string;
  /** What is wrong with what is there. */
  readonly fault: (found: ToldSetting) => string | undefined;
}

function settingDrifts({ configuration: own }: Payload, { settings: there }: VersionResult): HostDrift[] {
  const wanted = new Map<string, Wanted>([
    ...Object.entries(own.settings).map(([name, value]): [string, Wanted] => [
      name,
      { here: value, fault: (found) => plainFault(found, value) },
    ]),
    ...Object.entries(own.secrets).map(([name, value]): [string, Wanted] => [
      name,
      { here: 'a secret', fault: (found) => secretFault(found, value) },
    ]),
    ...own.unknown.map((name): [string, Wanted] => [name, { here: 'a secret', fault: () => undefined }]),
    ...own.held.map((name): [string, Wanted] => [
      name,
      { here: 'held there', fault: (found) => ('held' in found ? undefined : 'sent before') },
    ]),
  ]);
  const drifts: HostDrift[] = [];
  for (const [name, { here, fault }] of wanted) {
    const found = there[name];
    const other = found === undefined ? 'not set' : fault(found);
    if (other !== undefined) drifts.push(settingDrift(name, here, other));
  }
  for (const name of Object.keys(there)) if (!wanted.has(name)) drifts.push(settingDrift(name, 'not declared', 'set'));
  return drifts;
}

function settingDrift(name: string, here: string, there: string): HostDrift {
  return { what: `setting ${name}`, here: printable(here), there: printable(there), isCode: false };
}

function plainFault(found: ToldSetting, value: string): string | undefined {
  if (!('value' in found)) return 'a secret, or held there';
  return found.value === value ? undefined : found.value;
}

function secretFault(found: ToldSetting, value: string): string | undefined {
  if (!('seal' in found)) return 'no secret';
  return isSealOf(found.seal, value) ? undefined : 'another value';
}

function isSealOf({ salt, scrypt }: { readonly salt: string; readonly scrypt: string }, value: string): boolean {
  const { bytes, ...cost } = SEAL;
  const given = Buffer.from(scrypt, 'base64');
  const own = scryptSync(value, Buffer.from(salt, 'base64'), bytes, cost);
  return given.length === own.length && timingSafeEqual(given, own);
}
