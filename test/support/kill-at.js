/** Preloaded: ends the process, as SIGKILL does, right before the step KILL_AT of those that change what is on disk. */
const fs = require('node:fs');

const CHANGES = [
  ...[
    'openSync',
    'writeSync',
    'fsyncSync',
    'renameSync',
    'linkSync',
    'copyFileSync',
    'mkdirSync',
    'rmSync',
    'rmdirSync',
  ],
  ...['writeFileSync', 'utimesSync', 'chmodSync', 'symlinkSync'],
];
let step = 0;

for (const name of CHANGES) {
  const change = fs[name];
  fs[name] = (...args) => {
    const isReading = name === 'openSync' && (args[1] === undefined || args[1] === 'r');
    if (!isReading && ++step === Number(process.env.KILL_AT)) process.kill(process.pid, 'SIGKILL');
    return change(...args);
  };
}
