/** `--part 2/5`: the part of the work that is this worker's. */
import type { Project, Target } from '../../core/project/targets';
import type { FunctionSpec } from '../../core/sheet';
import { text, type Arguments } from '../commands/command';
import type { OptionSpec } from '../options';

export const PART_OPTION: OptionSpec = {
  type: 'string',
  requiresArg: true,
  value: 'N/OF',
  describe: 'only the part of this worker, such as 2/5: the same split on every machine, balanced by recorded weights',
};

export interface Part {
  /** Functions of which something is this worker's. */
  readonly functions: readonly FunctionSpec[];
  /** Undefined where all of it is. */
  readonly part: ((target: Target) => boolean) | undefined;
}

/** @throws EmballageError USAGE */
export async function partOf(args: Arguments, project: Project, functions: readonly FunctionSpec[]): Promise<Part> {
  const written = text(args, 'part');
  if (written === undefined) return { functions, part: undefined };
  const { parsePart, targetsOfPart } = await import('../../core/pipeline/part');
  const part = await targetsOfPart(project, functions, parsePart(written));
  return { part, functions: functions.filter((spec) => spec.archs.some((arch) => part({ spec, arch }))) };
}
