/** Targets: one function for one architecture in one form, and where its files lie. */
import { EmballageError } from '../base/errors';
import { baseOf } from '../base/paths';
import { listed, nearestWord, printable } from '../base/text';
import { OUTPUT_FOLDER } from '../fileset/selection';
import type { Arch, FunctionSpec, Known, Sheet } from '../sheet';
import type { StateFolder } from './state/state';

export interface Target {
  readonly spec: FunctionSpec;
  readonly arch: Arch;
}

/** A project on disk: its folder and what its sheet says. */
export interface Project {
  /** Absolute path. */
  readonly root: string;
  readonly sheet: Sheet;
  /** The sheet and the destination files, relative to the project; the sheet comes first. */
  readonly files: readonly string[];
  /** What is remembered of it, and of what its functions need. */
  readonly state: StateFolder;
  readonly languages: Known;
}

/** The functions of those names, in the order of the sheet; all of them for no names. */
export function selectFunctions(sheet: Sheet, names: readonly string[]): FunctionSpec[] {
  const chosen = new Set(names.map((name) => selectFunction(sheet, name)));
  return sheet.functions.filter((spec) => chosen.size === 0 || chosen.has(spec));
}

/** The function of that name. */
export function selectFunction(sheet: Sheet, name: string): FunctionSpec {
  const spec = sheet.functions.find((one) => one.name === name);
  if (spec !== undefined) return spec;
  const known = sheet.functions.map((one) => one.name);
  const near = nearestWord(name, known);
  throw new EmballageError('USAGE', {
    doing: 'choosing functions',
    expected: `one of ${listed(
      known.map((k) => `\`${k}\``),
      'or',
    )}`,
    found: `\`${printable(name)}\``,
    mend: near === undefined ? 'name a function of the packing sheet' : `did you mean \`${near}\`?`,
  });
}

/** Every function for each of its architectures, in the order of the sheet. */
export function targetsOf(specs: readonly FunctionSpec[]): Target[] {
  return specs.flatMap((spec) => spec.archs.map((arch) => ({ spec, arch })));
}

/** Path of the artifact, relative to the project. */
export function artifactPath({ spec, arch }: Target): string {
  return `${OUTPUT_FOLDER}/${spec.name}/${arch}/${artifactName(spec)}`;
}

/** Name of the artifact in its folder. */
export function artifactName({ name, form }: Pick<FunctionSpec, 'name' | 'form'>): string {
  return `${name}${form.ending}`;
}

/** What is written beside a sheet goes by its name: `emballage.yaml` has `emballage.lock`. */
export function besideSheet({ files: [sheet = 'emballage.yaml'] }: Pick<Project, 'files'>, ending: string): string {
  return `${baseOf(sheet).replace(/\.ya?ml$/, '')}.${ending}`;
}

/** Recorded weights. */
export function weightsNameOf(project: Pick<Project, 'files'>): string {
  return besideSheet(project, 'weights');
}

/** What was delivered. */
export function ledgerNameOf(project: Pick<Project, 'files'>): string {
  return besideSheet(project, 'ledger');
}

/** Path of the waybill, relative to the project. */
export function waybillPath({ spec, arch }: Target): string {
  return `${OUTPUT_FOLDER}/${spec.name}/${arch}/${spec.name}.waybill.json`;
}
