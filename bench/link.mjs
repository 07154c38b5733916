// Traces and links the one function of a project, and stops there: what `build` does before it packs.
import { createRequire } from 'node:module';
import { join } from 'node:path';
import { availableParallelism } from 'node:os';

const [, , root] = process.argv;
const require = createRequire(import.meta.url);
const core = (path) => require(join(import.meta.dirname, '../dist/core', path));
const { openProject } = core('pipeline/open-project.js');
const { lookForChange } = core('pipeline/build.js');
const { assembleTarget } = core('pipeline/assemble.js');
const { indexPath } = core('pipeline/targets.js');
const { StatIndex, writeStatIndex } = core('pipeline/stat-index.js');

const project = await openProject('emballage.yaml', root, 'bench');
const [spec] = project.sheet.functions;
const { survey, lookedAtMs, config } = await lookForChange({ project, now: Date.now, tool: 'bench' }, spec);
const index = StatIndex.read(indexPath(project, spec));
const assembly = await assembleTarget({
  project,
  spec,
  survey,
  packages: [],
  workspaces: [],
  arch: 'arm64',
  knownDigests: index?.knownDigests(survey.items) ?? new Map(),
  jobs: availableParallelism(),
  tool: 'bench',
});
// As a build would, so that the next run knows what has not changed.
writeStatIndex(indexPath(project, spec), {
  config,
  targets: {},
  survey,
  leftOut: [],
  digests: assembly.sourceDigests,
  lookedAtMs,
});
