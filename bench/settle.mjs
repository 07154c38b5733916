// Settles the requirements of a project's functions and unpacks what was settled: `node settle.mjs PROJECT`.
// A process of its own, so that starting Node.js is part of what is measured.
import { availableParallelism } from 'node:os';
import { join } from 'node:path';
import { built, openBench } from './project.mjs';

const { lockFunctions } = built('core/pipeline/lock/lock.js');
const { readyPackages } = built('core/languages/python/sources/packages.js');
const { HttpClient } = built('core/sources/index.js');
const { NO_CREDENTIALS } = built('core/toolchains/credentials.js');
const { thisMachine } = built('cli/session/machine.js');

const project = await openBench(process.argv[2]);
const cacheFolder = join(project.root, '.emballage/http');
const http = new HttpClient({ network: undefined, credentials: NO_CREDENTIALS, cacheFolder });
const machine = thisMachine();
const functions = project.sheet.functions;
const outcomes = await lockFunctions({ project, functions, http, machine, upgrade: [], onSettling: () => {} });
let files = 0;
for (const [i, { targets }] of outcomes.entries())
  for (const [arch, packages] of Object.entries(targets)) {
    const ready = await readyPackages({
      project,
      spec: functions[i],
      survey: undefined,
      packages,
      arch,
      http: async () => http,
      machine,
      jobs: availableParallelism(),
    });
    files += ready.reduce((sum, { wheel }) => sum + wheel.files.length, 0);
  }
console.log(`${files} files`);
