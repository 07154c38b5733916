/** What takes the room in an artifact, of whatever form and whoever made it. */
import { existsSync } from 'node:fs';
import { basename, dirname, join } from 'node:path';
import { EmballageError } from '../../base/errors';
import { present } from '../../base/present';
import { verifyAgainstWaybill, verifyPair } from '../../project/verify-artifact';
import { artifactPath, type Project, type Target } from '../../project/targets';
import { languageOf } from '../../languages';
import type { Destination, FunctionSpec, Known } from '../../sheet';
import { packageOwner, reasonGraph, type Waybill } from '../../waybill';
import { leftOut } from '../explain';
import { dependencyGroups, groupsBy, kindGroups, placeGroups, weightOf } from './groups';
import { limitGauges, packedOf } from './limits';
import type { Weighed } from './model';
import { FORMS, formOf, formOfFile, openForm } from '../../forms';
import { knowingOf, type ReadPartsRequest } from '../../forms/weighing';
import { savingsOf } from './savings';

export interface WeighRequest extends ReadPartsRequest {
  /** `surge-alert`, or the file's name. */
  readonly name: string;
  /** What it is held to, where that is known. */
  readonly destination?: Destination;
  readonly spec?: FunctionSpec;
}

/** Weighs what was built for a target. @throws EmballageError ARTIFACT_MISSING */
export async function weighTarget(project: Project, target: Target, scratch: string): Promise<Weighed> {
  const { spec, arch } = target;
  const shown = artifactPath(target);
  const path = join(project.root, shown);
  if (!existsSync(path))
    throw new EmballageError('ARTIFACT_MISSING', {
      doing: 'looking for the artifact',
      where: shown,
      expected: 'an artifact with its waybill',
      found: 'nothing',
      mend: `run \`emballage build ${spec.name}\``,
    });
  const destination = project.sheet.destinations[spec.destination];
  const about = await toldBy(() => verifyAgainstWaybill(project, target));
  return weigh({ name: spec.name, path, shown, arch, scratch, spec, ...present({ destination }) }, about);
}

/** Weighs any artifact file. What it is made of is told by the waybill that lies beside it, where that is its own. */
export async function weighFile(request: WeighRequest, languages: Pick<Known, 'all' | 'forms'>): Promise<Weighed> {
  const { path, shown } = request;
  const at = waybillBeside(path);
  const about: About = existsSync(at)
    ? await toldBy(() => verifyPair(path, shown, at, languages))
    : { origins: 'no-waybill' };
  return weigh(request, about);
}

/** Endings of artifacts, as they are built and as they are sent; the longest first. */
const ENDINGS = [...new Set(FORMS.flatMap(({ ending, fileEnding }) => [fileEnding, ending]))].sort(
  (a, b) => b.length - a.length,
);

/** Where the waybill of an artifact would lie. */
function waybillBeside(path: string): string {
  const name = basename(path);
  const ending = ENDINGS.find((one) => name.endsWith(one)) ?? '';
  return join(dirname(path), `${name.slice(0, name.length - ending.length)}.waybill.json`);
}

interface About {
  readonly waybill?: Waybill;
  readonly origins: Weighed['origins'];
}

async function toldBy(read: () => Promise<Waybill>): Promise<About> {
  try {
    return { waybill: await read(), origins: 'known' };
  } catch (error) {
    if (!(error instanceof EmballageError)) throw error;
    if (error.code === 'ARTIFACT_MIXED') return { origins: 'other-waybill' };
    if (error.code === 'ARTIFACT_MISSING') return { origins: 'no-waybill' };
    throw error;
  }
}

async function weigh(request: WeighRequest, { waybill, origins }: About): Promise<Weighed> {
  const { name, shown, spec, destination } = request;
  const form = waybill === undefined ? await formOfFile(request.path, shown) : formOf(waybill.form);
  const knowing = await knowingOf(waybill);
  const { parts, size, files, layers, packedIsShared } = await (await openForm(form)).weigh(request, knowing);
  const graph = waybill === undefined ? undefined : reasonGraph(waybill);
  const total = { unpacked: weightOf(parts).unpacked, packed: size };
  const held = { form, files, spec, total: { ...total, packed: packedOf({ total, ...present({ layers }) }) } };
  return {
    name,
    artifact: shown,
    form: form.id,
    total,
    files,
    origins,
    packedIsShared,
    parts,
    ...present({ arch: waybill?.arch ?? request.arch, sha256: waybill?.artifact.sha256, layers, graph }),
    dependencies: dependencyGroups(parts, graph, askersOf(waybill)),
    places: placeGroups(parts, form),
    ...(parts.some(({ source }) => source !== undefined) && { sources: groupsBy(parts, ({ source }) => source) }),
    kinds: kindGroups(parts),
    limits: destination === undefined ? [] : limitGauges({ destination, ...held }),
    trimmed: waybill === undefined ? [] : leftOut(waybill, () => true),
    savings: [...savingsOf({ parts, waybill, layers }), ...untried(spec)],
  };
}

/** Who asks for a package, by its key. */
function askersOf(waybill: Waybill | undefined): (key: string) => readonly string[] | undefined {
  const known = new Map(waybill?.packages.map(({ name, version, by }) => [packageOwner(name, version).key, by]));
  return (key) => known.get(key);
}

/** Keys of the sheet that make an artifact lighter; by how much only trying them tells. */
function untried(spec: FunctionSpec | undefined): Weighed['savings'] {
  if (spec === undefined) return [];
  const found = languageOf(spec.runtime.language).suggestions?.(spec) ?? [];
  return found.map(({ what, about, line }) => ({ what, about, line }));
}
