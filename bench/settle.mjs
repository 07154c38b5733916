// Settles the requirements of a project's functions and unpacks what was settled: `node settle.mjs PROJECT`.
// A process of its own, so that starting Node.js is part of what is measured.
import { createRequire } from 'node:module';

const require = createRequire(import.meta.url);
const { openProject } = require('../dist/core/project/open-project.js');
const { lockFunctions } = require('../dist/core/pipeline/lock/lock.js');
const { readyPackages } = require('../dist/core/languages/python/packages.js');
const { HttpClient, NO_CREDENTIALS } = require('../dist/core/sources/index.js');

const project = await openProject('emballage.yaml', process.argv[2], 'emballage bench');
const http = new HttpClient({
  network: undefined,
  credentials: NO_CREDENTIALS,
  cacheFolder: `${project.root}/.emballage/http`,
});
const machine = { arch: 'x86_64', searchPath: '', pythons: async () => [] };
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
    });
    files += ready.reduce((sum, { wheel }) => sum + wheel.files.length, 0);
  }
console.log(`${files} files`);
