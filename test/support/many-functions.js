// A made project with many functions in six languages, for tests and benchmarks of builds that many machines share.
'use strict';
const { mkdirSync, writeFileSync } = require('node:fs');
const { dirname, join } = require('node:path');

const DESTINATION = {
  destination: 'slipway',
  arch: ['x86_64', 'arm64'],
  accepts: { zip: { packed: '8 MiB' }, jar: { packed: '8 MiB' } },
  runtimes: { 'python 3.11': {}, 'node 20': {}, 'java 17': {}, native: { start: 'run' } },
  entry: { python: '{module}:{member}', node: '{path}#{member}', jvm: '{class}#{member}' },
};

const LINES = 'char line[4096]; while (fgets(line, sizeof line, stdin)) puts';

/** Each with its share of a hundred, and a function of it by number. */
const KINDS = {
  python: [
    40,
    (n) => ({
      spec: { runtime: 'python 3.11', entry: 'gauge.py#read' },
      files: {
        'gauge.py': `def read(event, context):\n    return {"gauge": ${n}}\n`,
        'levels.py': `LEVELS = ${JSON.stringify(levels(n))}\n`,
      },
    }),
  ],
  node: [
    40,
    (n) => ({
      spec: { runtime: 'node 20', entry: 'gauge.mjs#read' },
      files: {
        'gauge.mjs': `import { LEVELS } from './levels.mjs';\nexport const read = () => ({ gauge: ${n}, LEVELS });\n`,
        'levels.mjs': `export const LEVELS = ${JSON.stringify(levels(n))};\n`,
      },
    }),
  ],
  c: [
    14,
    (n) => ({
      spec: { runtime: 'c', entry: 'main.c' },
      files: { 'main.c': `#include <stdio.h>\nint main(void) { ${LINES}("${n}"); return 0; }\n` },
    }),
  ],
  jvm: [
    3,
    (n) => ({
      spec: { runtime: 'java 17', entry: 'tide.Gauge#read', artifact: 'jar' },
      files: {
        'tide/Gauge.java': `package tide;\npublic class Gauge { public static Object read(Object event) { return ${n}; } }\n`,
      },
    }),
  ],
  go: [
    2,
    (n) => ({
      spec: { runtime: 'go', entry: 'main.go' },
      files: {
        'go.mod': 'module tide\n\ngo 1.19\n',
        'main.go': `package main\n\nimport (\n\t"bufio"\n\t"fmt"\n\t"os"\n)\n\nfunc main() {\n\tlines := bufio.NewScanner(os.Stdin)\n\tfor lines.Scan() {\n\t\tfmt.Println(${n})\n\t}\n}\n`,
      },
    }),
  ],
  rust: [
    1,
    (n) => ({
      spec: { runtime: 'rust', entry: 'main.rs' },
      files: {
        'main.rs': `fn main() {\n    for _ in std::io::stdin().lines() {\n        println!("${n}");\n    }\n}\n`,
      },
    }),
  ],
};

function levels(n) {
  return Array.from({ length: 400 }, (_, i) => ((n * 7919 + i * 104729) % 6000) / 10);
}

/**
 * @param root absolute path of the folder that the project is written into
 * @param count of functions
 * @param languages those of which the project has functions
 */
function writeMany(root, count, { languages = Object.keys(KINDS), store, sheet: more = {} } = {}) {
  const functions = {};
  const put = (path, content) => {
    mkdirSync(dirname(join(root, path)), { recursive: true });
    writeFileSync(join(root, path), content);
  };
  const shares = languages.map((name) => KINDS[name][0]);
  const all = shares.reduce((a, b) => a + b, 0);
  for (const [i, language] of languages.entries()) {
    const own = Math.max(1, Math.round((count * shares[i]) / all));
    for (let n = 0; n < own && Object.keys(functions).length < count; n++) {
      const name = `${language}-${n}`;
      const { spec, files } = KINDS[language][1](n);
      functions[name] = { source: `functions/${name}`, artifact: 'zip', arch: ['x86_64'], ...spec };
      for (const [path, content] of Object.entries(files)) put(`functions/${name}/${path}`, content);
    }
  }
  put('slipway.yaml', JSON.stringify(DESTINATION));
  const sheet = {
    ...{ project: 'fernhaven-tides', destinations: { slipway: 'slipway.yaml' }, defaults: { destination: 'slipway' } },
    ...(store !== undefined && { store }),
    ...more,
    functions,
  };
  put('emballage.yaml', JSON.stringify(sheet, null, 1));
  return Object.keys(functions);
}

module.exports = { writeMany };
