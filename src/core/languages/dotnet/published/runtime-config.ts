/** `NAME.runtimeconfig.json`: the frameworks that an application asks its host for, and which others it would take. */
import { parse, type ParseError } from 'jsonc-parser';
import { z } from 'zod';
import { nesting } from '../../../base/text';

export const CORE = 'Microsoft.NETCore.App';

const MOST_TEXT = 1024 * 1024;
const MOST_DEPTH = 64;

const POLICIES = ['Disable', 'LatestPatch', 'Minor', 'LatestMinor', 'Major', 'LatestMajor'] as const;
export type RollForward = (typeof POLICIES)[number];

export interface WantedFramework {
  readonly name: string;
  readonly version: string;
}

export interface RuntimeConfig {
  readonly frameworks: readonly WantedFramework[];
  /** It brings them along. */
  readonly isSelfContained: boolean;
  readonly rollForward: RollForward;
}

const framework = z.object({ name: z.string(), version: z.string() });
const document = z.object({
  runtimeOptions: z.object({
    framework: framework.optional(),
    frameworks: z.array(framework).max(16).optional(),
    includedFrameworks: z.array(framework).max(16).optional(),
    rollForward: z.string().optional(),
  }),
});

/** @returns why it is none, in words, where it is none */
export function readRuntimeConfig(text: string): RuntimeConfig | string {
  const errors: ParseError[] = [];
  if (text.length > MOST_TEXT || nesting(text) > MOST_DEPTH) return 'more than such a file holds';
  const read = document.safeParse(parse(text.replace(/^\uFEFF/, ''), errors, { allowTrailingComma: true }));
  if (errors.length > 0) return 'no JSON';
  if (!read.success) return `no \`runtimeOptions\` as the host reads them (${read.error.issues[0]?.message ?? ''})`;
  const { framework: one, frameworks, includedFrameworks, rollForward } = read.data.runtimeOptions;
  const policy = POLICIES.find((known) => known.toLowerCase() === (rollForward ?? 'Minor').toLowerCase());
  if (policy === undefined) return `\`rollForward: ${rollForward ?? ''}\`, which is no policy`;
  return {
    frameworks: includedFrameworks ?? frameworks ?? (one === undefined ? [] : [one]),
    isSelfContained: includedFrameworks !== undefined,
    rollForward: policy,
  };
}

/** The version of the framework that a runtime of the sheet means. @param version `8` */
export function frameworkVersion(version: string): string {
  return FIRST_MINORS[version] ?? `${version}.0`;
}

/** Of these the last minor version is meant, the only one that was kept up. */
const FIRST_MINORS: Readonly<Record<string, string>> = { '1': '1.1', '2': '2.1', '3': '3.1' };

/** `net8.0`, `netcoreapp3.1`. */
export function frameworkWord(version: string): string {
  return `${Number(version) < 5 ? 'netcoreapp' : 'net'}${frameworkVersion(version)}`;
}

/** What says which framework a function asks for, where whoever compiled it left it out. */
export function runtimeConfigText(version: string): string {
  const short = frameworkVersion(version);
  const options = { tfm: frameworkWord(version), framework: { name: CORE, version: `${short}.0` } };
  return `${JSON.stringify({ runtimeOptions: options }, null, 2)}\n`;
}

/**
 * With what a runner asks for its framework: as the function does, but taking a newer one where there is no other. Where
 * the function brings its framework along, the newest that is here stands in for it.
 */
export function runnerConfigText(own: string): string {
  const plain = typeof readRuntimeConfig(own) === 'string' ? '{}' : own;
  const read = parse(plain.replace(/^\uFEFF/, ''), [], { allowTrailingComma: true }) as
    { runtimeOptions?: object } | undefined;
  const options = { ...read?.runtimeOptions } as Record<string, unknown>;
  const isAsking = options.framework !== undefined || options.frameworks !== undefined;
  delete options.includedFrameworks;
  if (!isAsking) options.framework = { name: CORE, version: '2.0.0' };
  return JSON.stringify({ runtimeOptions: { ...options, rollForward: isAsking ? 'Major' : 'LatestMajor' } });
}

/**
 * Whether a host with one version of a framework takes an application that asks for another.
 * @param offered `8`, or more exactly `8.0.11`
 */
export function rollsTo(wanted: string, policy: RollForward, offered: string): boolean {
  const isExact = offered.includes('.');
  const [own, theirs] = [partsOf(wanted), partsOf(isExact ? offered : frameworkVersion(offered))];
  const isSame = (places: number): boolean => own.slice(0, places).every((part, i) => part === theirs[i]);
  const compared = isExact ? 3 : 2;
  const isLater = orderOf(theirs.slice(0, compared), own.slice(0, compared)) >= 0;
  if (policy === 'Disable') return isSame(compared);
  if (policy === 'LatestPatch') return isSame(2) && isLater;
  return isLater && (policy === 'Major' || policy === 'LatestMajor' || isSame(1));
}

/** Three numbers; what comes behind a hyphen does not count. */
function partsOf(version: string): readonly number[] {
  const [major = 0, minor = 0, patch = 0] = version.split('-')[0]?.split('.').map(Number) ?? [];
  return [major, minor, patch];
}

function orderOf(a: readonly number[], b: readonly number[]): number {
  const i = a.findIndex((part, place) => part !== b[place]);
  return i < 0 ? 0 : (a[i] ?? 0) - (b[i] ?? 0);
}
