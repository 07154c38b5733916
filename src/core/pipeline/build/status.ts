/** Looks whether a function has to be made again. Where everything looks as it did, no language is loaded, and no file read. */
import { join } from 'node:path';
import { sameStamp, type Stamp } from '../../disk/stamp';
import { runtimeOf } from '../../project/destination-runtime';
import { standsAsWatched } from '../../project/inputs';
import { artifactPath, waybillPath, type Project } from '../../project/targets';
import { inputsText, type Arch, type FunctionSpec } from '../../sheet';
import type { BuiltTarget, BuildStatus, StatusRequest } from './model';
import { archsOf, asBefore, indexPath, outputStamp } from './records';
import { StatIndex } from './stat-index';

/** Looks at a function's source folder and artifacts. */
export async function lookForChange(request: StatusRequest, spec: FunctionSpec): Promise<BuildStatus> {
  const { project } = request;
  const lookedAtMs = request.now();
  const index = StatIndex.read(indexPath(project, spec));
  const common = commonText(request, spec);
  const targets = index?.common === common ? unchangedTargets(request, spec, index) : undefined;
  if (
    index !== undefined &&
    targets !== undefined &&
    standsAsWatched(project, index.watched) &&
    index.standsAsItDid(join(project.root, spec.source))
  )
    return { spec, unchanged: asBefore(targets, index) };
  const { lookCarefully } = await import('./careful-status');
  return lookCarefully(request, { spec, index, common, targets, lookedAtMs });
}

/** What every artifact and waybill depends on, whatever its language. */
function commonText({ project, tool, epochSeconds }: StatusRequest, spec: FunctionSpec): string {
  const destination = project.sheet.destinations[spec.destination];
  const { ends: _ends, ...runtime } = runtimeOf(project, spec) ?? { name: '' };
  // Adapters and starters in layers know how they are called.
  const calls = spec.adapter === undefined && spec.form.isLayered !== true ? undefined : destination?.calls;
  return JSON.stringify({
    tool,
    epochSeconds,
    project: project.sheet.project,
    inputs: inputsText(spec),
    entry: destination?.entry,
    runtime,
    calls,
  });
}

/** The targets, when all of them lie there as the last build left them. */
function unchangedTargets(
  { project, part }: StatusRequest,
  spec: FunctionSpec,
  index: StatIndex,
): BuiltTarget[] | undefined {
  const archs = archsOf(spec, part);
  const whole = archs.flatMap((arch) => unchangedTarget(project, spec, arch, index) ?? []);
  const placed = archs.length === spec.archs.length ? (spec.form.alsoPlaced?.(spec.name) ?? []) : [];
  if (placed.some((path) => outputStamp(join(project.root, path)) === undefined)) return undefined;
  return whole.length === archs.length ? whole : undefined;
}

function unchangedTarget(project: Project, spec: FunctionSpec, arch: Arch, index: StatIndex): BuiltTarget | undefined {
  const record = index.targets[arch];
  if (record === undefined) return undefined;
  const paths = { artifact: artifactPath({ spec, arch }), waybill: waybillPath({ spec, arch }) };
  const isAsBefore = (path: string, stamp: Stamp): boolean => {
    const now = outputStamp(join(project.root, path));
    return now !== undefined && sameStamp(now, stamp);
  };
  if (!isAsBefore(paths.artifact, record.artifact) || !isAsBefore(paths.waybill, record.waybill)) return undefined;
  const { sha256, size, unpacked, files, trimmed } = record;
  return { name: spec.name, arch, status: 'unchanged', ...paths, size, unpacked, files, sha256, trimmed };
}
