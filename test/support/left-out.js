/**
 * A reporter: tells at the end which suites left tests out, for want of what, and how to have it. With CI set, it fails the
 * run where something is missing that scripts/toolchains.sh has not found to be out of reach here.
 */
const { existsSync, readFileSync } = require('node:fs');
const { homedir } = require('node:os');
const { join, relative } = require('node:path');

const ROOT = join(__dirname, '../..');

/** What the script could not install: its name and the reason, a line each. */
function outOfReach() {
  const path = process.env.EMBALLAGE_LEFT_OUT ?? join(homedir(), '.cache/emballage-left-out');
  const lines = existsSync(path) ? readFileSync(path, 'utf8').split('\n').filter(Boolean) : [];
  return new Map(lines.map((line) => line.split('\t')));
}

/** For each thing that is missing, where it comes from and the suites that want it. */
function missing(list) {
  const found = new Map();
  for (const line of existsSync(list) ? readFileSync(list, 'utf8').split('\n').filter(Boolean) : []) {
    const { testPath, what, from } = JSON.parse(line);
    const one = found.get(what) ?? { what, from, suites: new Set() };
    if (testPath !== undefined) one.suites.add(relative(ROOT, testPath));
    found.set(what, one);
  }
  return [...found.values()];
}

module.exports = class LeftOut {
  #isRefused = false;

  onRunComplete(_contexts, { numPendingTests }) {
    if (numPendingTests === 0) return;
    const reasons = outOfReach();
    const all = missing(process.env.EMBALLAGE_LEFT_OUT_LIST ?? '');
    const lines = all.map(({ what, from, suites }) => {
      const why = reasons.has(from)
        ? `out of reach here: ${reasons.get(from)}`
        : `to have it: scripts/toolchains.sh (${from})`;
      return [`  ${what}; ${why}`, ...[...suites].sort().map((suite) => `    ${suite}`)].join('\n');
    });
    process.stderr.write(`\nleft out: ${numPendingTests} tests, for want of\n${lines.join('\n')}\n`);
    const isExcused = all.length > 0 && all.every(({ from }) => reasons.has(from));
    this.#isRefused = (process.env.CI ?? '') !== '' && !isExcused;
  }

  getLastError() {
    return this.#isRefused ? new Error('tests were left out for want of what this machine can have') : undefined;
  }
};
