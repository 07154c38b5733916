/**
 * Preloaded: ends the process, as SIGKILL does, right before the step KILL_AT of those that change what is on disk. How many
 * there were goes to the file that KILL_COUNT names. What the process starts is not counted.
 */
const fs = require('node:fs');

const CHANGES = [
  ...['openSync', 'writeSync', 'writeFileSync', 'appendFileSync', 'ftruncateSync', 'fsyncSync', 'copyFileSync'],
  ...['renameSync', 'linkSync', 'symlinkSync', 'unlinkSync', 'mkdirSync', 'rmSync', 'rmdirSync'],
  ...['chmodSync', 'utimesSync', 'futimesSync'],
];
const { KILL_AT, KILL_COUNT } = process.env;
delete process.env.KILL_AT;
delete process.env.KILL_COUNT;
const { writeFileSync } = fs;
let step = 0;

function isForReading(flags = 'r') {
  return typeof flags === 'number' ? (flags & 3) === fs.constants.O_RDONLY : flags === 'r';
}

for (const name of CHANGES) {
  const change = fs[name];
  fs[name] = (...args) => {
    if (!(name === 'openSync' && isForReading(args[1])) && ++step === Number(KILL_AT))
      process.kill(process.pid, 'SIGKILL');
    return change(...args);
  };
}
if (KILL_COUNT !== undefined) process.on('exit', () => writeFileSync(KILL_COUNT, String(step)));
