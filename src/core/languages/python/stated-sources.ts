/** Where the sheet, and requirements files, say that packages come from. */
import { join } from 'node:path';
import { EmballageError } from '../../base/errors';
import type { Project } from '../../project/targets';
import type { FunctionSpec } from '../../sheet';
import type { FunctionNeeds } from './needs';
import type { SourceSpec } from './provider';

/** @throws EmballageError REQUIREMENTS_INVALID where there are requirements and no sources */
export function sourcesOf(project: Project, spec: FunctionSpec, needs: FunctionNeeds): SourceSpec[] {
  const sources: SourceSpec[] = spec.sources.map(({ kind, at, serves }) => ({
    kind,
    at: kind === 'folder' ? join(project.root, at) : at,
    ...(serves !== undefined && { serves }),
  }));
  for (const link of needs.links)
    sources.push(
      /^https?:/.test(link) ? { kind: 'links', at: link } : { kind: 'folder', at: join(project.root, link) },
    );
  if (sources.length > 0 || needs.stated.length === 0) return sources;
  throw new EmballageError('REQUIREMENTS_INVALID', {
    doing: `settling what ${spec.name} needs`,
    where: project.files[0] ?? '',
    expected: '`sources`: where requirements come from',
    found: 'none, here or in `defaults`',
    mend: 'add `sources: [{ index: "https://…/simple" }]`, or `[{ folder: wheels }]`',
  });
}
