/** What is delivered of a function to a destination: its artifacts, the data beside them, and what the host is told. */
import { existsSync, readFileSync, statSync } from 'node:fs';
import { extname, join } from 'node:path';
import { EmballageError } from '../../base/errors';
import { listed, printable } from '../../base/text';
import { contentDigest, fileDigest } from '../../disk/digest';
import { guarded } from '../../disk/write';
import { openForm } from '../../forms';
import { languageOf } from '../../languages';
import { PAPER_KINDS, paperPath, type PaperKind, type PaperTexts } from '../../project/papers';
import { artifactPath, targetsOf, waybillPath, type Project, type Target } from '../../project/targets';
import { verifyArtifact, type WaybillHead } from '../../project/verify-artifact';
import {
  entryOf,
  entryString,
  givenMemory,
  givenTimeMs,
  isHeld,
  valueAt,
  wayIn,
  type Arch,
  type Destination,
  type FormFacts,
  type FunctionSpec,
} from '../../sheet';

/** A file as it is sent. */
export interface PayloadFile {
  /** Absolute path, and its name for messages. */
  readonly path: string;
  readonly shown: string;
  /** SHA-256 in hexadecimal, and bytes. */
  readonly sha256: string;
  readonly size: number;
}

/** The artifact for one architecture; for an image its layout, known by the digest of its manifest. */
export interface PayloadPart extends PayloadFile {
  readonly arch: Arch;
  readonly waybill: PayloadFile;
  /** What others can verify of it. */
  readonly papers: readonly PayloadPaper[];
}

export interface PayloadPaper extends PayloadFile {
  readonly kind: PaperKind;
}

/** Data beside the artifact. */
export interface PayloadBeside extends PayloadFile {
  readonly name: string;
  readonly setting: string;
  /** That of its name: `.bin`. */
  readonly ending: string;
}

/** What a host is told. */
export interface Configuration {
  readonly runtime: string;
  /** In the destination's own form. */
  readonly entry: string;
  readonly loads: { readonly file: string; readonly member: string };
  readonly memoryBytes: number;
  readonly timeoutMs: number;
  readonly adapter?: string;
  readonly shape?: string;
  readonly settings: Readonly<Record<string, string>>;
  /** Values of secrets. They are written nowhere here. */
  readonly secrets: Readonly<Record<string, string>>;
  /** Names of settings whose values the destination has. */
  readonly held: readonly string[];
  /** Names of secrets of which it is only known that there should be a value. */
  readonly unknown: readonly string[];
  /** Settings that hold where data beside the artifact lies, by the name of the data. */
  readonly beside: Readonly<Record<string, string>>;
}

export interface Payload {
  readonly name: string;
  readonly form: FormFacts;
  /** Ending of artifacts: `.zip`, nothing for an executable. */
  readonly ending: string;
  readonly destination: Destination;
  readonly parts: readonly PayloadPart[];
  readonly beside: readonly PayloadBeside[];
  readonly configuration: Configuration;
}

export interface PayloadRequest {
  readonly project: Project;
  readonly spec: FunctionSpec;
  /** Where it goes. */
  readonly destination: Destination;
  /** Value of an environment variable. */
  readonly variable: (name: string) => string | undefined;
  /** Secrets whose value is not here are only looked for. */
  readonly isOnlyLookedAt?: boolean;
}

/** What was built, verified. @throws EmballageError ARTIFACT_MISSING, ARTIFACT_MIXED, USAGE */
export async function builtPayload(request: PayloadRequest): Promise<Payload> {
  const { project, spec } = request;
  const parts: PayloadPart[] = [];
  let waybill: WaybillHead | undefined;
  for (const target of targetsOf([spec])) {
    waybill = await verifyArtifact(project, target);
    parts.push({
      arch: target.arch,
      ...(await artifactToSend(request, target, waybill)),
      waybill: fileAt(project, waybillPath(target)),
      papers: papersAt(project, target),
    });
  }
  if (waybill === undefined) throw new Error('a function without an architecture');
  const beside = (waybill.beside ?? []).map(({ name, file, setting, sha256 }) => {
    const found = fileAt(project, file);
    if (found.sha256 !== sha256) throw changed(spec.name, file);
    return { name, setting, ending: extname(file), ...found };
  });
  return { ...headOf(request), parts, beside, configuration: configurationOf(request, waybill.entry.loads) };
}

/** A registry takes in parts what can be; everywhere else it is one file as any other. */
async function artifactToSend(
  { project, spec, destination }: PayloadRequest,
  target: Target,
  { artifact: { sha256, size } }: WaybillHead,
): Promise<PayloadFile> {
  const shown = artifactPath(target);
  const { parts } = await openForm(spec.form);
  if (parts === undefined || takesParts(project, destination))
    return { path: join(project.root, shown), shown, sha256, size };
  return fileAt(project, await parts.oneFile(project, target));
}

/** Whether it is sent in parts there. */
export function takesParts({ languages }: Project, { deliver }: Destination): boolean {
  return deliver !== undefined && wayIn(languages, deliver.way).takesParts === true;
}

/** What of a load is known without its files. */
export function headOf({
  spec,
  destination,
}: PayloadRequest): Pick<Payload, 'name' | 'form' | 'ending' | 'destination'> {
  const { name, form } = spec;
  return { name, form, ending: form.fileEnding, destination };
}

function papersAt(project: Project, target: Target): PayloadPaper[] {
  return PAPER_KINDS.flatMap((kind) => {
    const shown = paperPath(target, kind);
    return existsSync(join(project.root, shown)) ? [{ kind, ...fileAt(project, shown) }] : [];
  });
}

/** What the papers of a part say. */
export function paperTexts({ papers }: Pick<PayloadPart, 'papers'>): PaperTexts {
  const texts = papers.map(
    ({ kind, path, shown }) => [kind, guarded(shown, () => readFileSync(path, 'utf8'))] as const,
  );
  return Object.fromEntries(texts);
}

function fileAt({ root }: Project, shown: string): PayloadFile {
  const path = join(root, shown);
  return guarded(shown, () => ({ path, shown, sha256: fileDigest(path), size: statSync(path).size }));
}

function changed(name: string, file: string): EmballageError {
  return new EmballageError('ARTIFACT_MIXED', {
    doing: `sending ${name}`,
    where: printable(file),
    expected: 'the data beside the artifact as its waybill has it',
    found: 'other content',
    mend: `run \`emballage build ${name}\``,
  });
}

/** What a host is told of it. @throws EmballageError USAGE where a setting has no value for it */
export function configurationOf(
  { spec, destination, variable, isOnlyLookedAt = false }: PayloadRequest,
  loads: Configuration['loads'],
): Configuration {
  const { settings, secrets, held, unknown } = settingsOf(spec, destination.name, variable, isOnlyLookedAt);
  const { adapter, shape } = spec;
  return {
    runtime: spec.runtime.text,
    entry: entryString(destination, languageOf(spec.runtime.language).sheet.entry, entryOf(loads)),
    loads: { file: loads.file, member: loads.member },
    memoryBytes: givenMemory(spec, destination),
    timeoutMs: givenTimeMs(spec, destination),
    ...(adapter !== undefined && { adapter }),
    ...(shape !== undefined && { shape }),
    settings,
    secrets,
    held,
    unknown,
    beside: Object.fromEntries(spec.beside.map(({ name, setting }) => [name, setting])),
  };
}

function settingsOf(
  spec: FunctionSpec,
  destination: string,
  variable: PayloadRequest['variable'],
  isOnlyLookedAt: boolean,
): Pick<Configuration, 'settings' | 'secrets' | 'held' | 'unknown'> {
  const settings: Record<string, string> = {};
  const secrets: Record<string, string> = {};
  const held: string[] = [];
  const lacking: string[] = [];
  const unknown: string[] = [];
  for (const setting of spec.settings) {
    const { name, secret, beside } = setting;
    if (beside !== undefined) continue;
    const value = secret ? variable(name) : valueAt(setting, destination);
    if (isHeld(setting, destination)) held.push(name);
    else if (value === undefined) (secret && isOnlyLookedAt ? unknown : lacking).push(name);
    else (secret ? secrets : settings)[name] = value;
  }
  if (lacking.length === 0) return { settings, secrets, held, unknown };
  const isSecret = spec.settings.some(({ name, secret }) => secret && lacking.includes(name));
  throw new EmballageError('USAGE', {
    doing: `sending ${spec.name} to ${destination}`,
    where: listed(lacking, 'and'),
    expected: isSecret ? 'a value of the secret in the environment of this command' : `a value for ${destination}`,
    found: 'none',
    mend: isSecret
      ? `set it before the command, or write \`held: [${destination}]\` where the destination has it already`
      : `add \`${destination}: "…"\` to its \`values\` in the sheet`,
  });
}

/** Of what a host is told: names of secrets and of what it holds, and no secret value. */
export function configurationDigest({ secrets, unknown, ...rest }: Configuration): string {
  const names = [...Object.keys(secrets), ...unknown].sort();
  return `sha256:${contentDigest(JSON.stringify({ ...rest, secrets: names }))}`;
}

/** Of all artifacts together: of the one, or over all by their architectures. */
export function digestOfAll(parts: readonly Pick<PayloadPart, 'arch' | 'sha256'>[]): string {
  const [first] = parts;
  if (first === undefined) throw new Error('nothing to send');
  const same = parts.every(({ sha256 }) => sha256 === first.sha256);
  const lines = parts.map(({ arch, sha256 }) => `${arch} ${sha256}`);
  return `sha256:${same ? first.sha256 : contentDigest(lines.join('\n'))}`;
}
