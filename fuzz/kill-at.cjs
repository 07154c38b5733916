// Loaded before the program: counts every call that changes a disk, and ends the process without warning at one of them.
// KILL_COUNT names a file for how many there were; KILL_AT says at which one to end.
const fs = require('node:fs');

const CHANGES = [
  ...['writeSync', 'writeFileSync', 'renameSync', 'linkSync', 'symlinkSync', 'mkdirSync', 'rmSync', 'unlinkSync'],
  ...['copyFileSync', 'fsyncSync', 'ftruncateSync', 'appendFileSync', 'chmodSync', 'utimesSync', 'futimesSync'],
];
const { KILL_AT, KILL_COUNT } = process.env;
// What it starts is not counted.
delete process.env.KILL_AT;
delete process.env.KILL_COUNT;
let count = 0;
for (const name of CHANGES) {
  const own = fs[name];
  fs[name] = (...args) => {
    count += 1;
    if (count === Number(KILL_AT)) process.kill(process.pid, 'SIGKILL');
    return own(...args);
  };
}
if (KILL_COUNT !== undefined) {
  const { writeFileSync } = fs;
  process.on('exit', () => writeFileSync(KILL_COUNT, String(count)));
}
