// Traces and links the one function of a project, and stops there: what `build` does before it packs.
import { availableParallelism } from 'node:os';
import { built, openBench } from './project.mjs';

const { lookForChange } = built('core/pipeline/build/look.js');
const { collectRequest } = built('core/pipeline/build/careful-look.js');
const { indexPath } = built('core/pipeline/build/records.js');
const { writeStatIndex } = built('core/pipeline/build/stat-index.js');
const { collect } = built('core/fileset/collect.js');
const { workOf } = built('core/languages/index.js');
const { thisMachine } = built('cli/session/machine.js');

const [, , root] = process.argv;
const project = await openBench(root);
const [spec] = project.sheet.functions;
const look = await lookForChange({ project, now: Date.now, tool: 'bench' }, spec);
const work = await workOf(spec);
const assembly = await work.assemble(
  {
    project,
    spec,
    arch: 'arm64',
    locked: undefined,
    packages: [],
    knownDigests: look.index?.knownDigests(look.survey.items) ?? new Map(),
    jobs: availableParallelism(),
    machine: thisMachine(),
    epochSeconds: 0,
  },
  collect(collectRequest(project, spec, false), look.survey),
);
// As a build would, so that the next run knows what has not changed.
writeStatIndex(indexPath(project, spec), {
  config: look.config,
  common: look.common,
  watched: [],
  targets: {},
  survey: look.survey,
  leftOut: [],
  digests: assembly.sourceDigests,
  lookedAtMs: look.lookedAtMs,
});
