/**
 * Preloaded: makes the disk and the clock of a process as they are on a bad day.
 * FAULT `CODE:N` — the call N of those that change what is on disk fails with that code, and so do all later ones (as on a
 * disk that is full or was taken away). FAULT `vanish:TEXT`, `grow:TEXT`, `shrink:TEXT` — a file whose path ends so is
 * removed, made longer, or made empty right when it is opened to be read. CLOCK — milliseconds that the clock is off.
 */
const fs = require('node:fs');

const { FAULT = '', CLOCK = '' } = process.env;
const [what, which = ''] = FAULT.split(':');

if (/^E[A-Z]+$/.test(what)) {
  const CHANGES = [
    ...['writeSync', 'writeFileSync', 'fsyncSync', 'renameSync', 'linkSync', 'copyFileSync', 'mkdirSync'],
    ...['symlinkSync', 'chmodSync'],
  ];
  let step = 0;
  for (const name of CHANGES) {
    const change = fs[name];
    fs[name] = (...args) => {
      // Its own words are no file.
      const isStream = name === 'writeSync' && (args[0] === 1 || args[0] === 2);
      if (!isStream && ++step >= Number(which)) {
        const error = new Error(`${what}: made up, ${name} '${String(args[0])}'`);
        throw Object.assign(error, { code: what, syscall: name, errno: -1, path: String(args[0]) });
      }
      return change(...args);
    };
  }
} else if (what !== '') {
  const { openSync, rmSync, appendFileSync, truncateSync } = fs;
  const harm = { vanish: rmSync, grow: (path) => appendFileSync(path, 'more'), shrink: (path) => truncateSync(path) };
  let isDone = false;
  fs.openSync = (path, ...rest) => {
    if (!isDone && String(path).endsWith(which)) {
      isDone = true;
      harm[what](path);
    }
    return openSync(path, ...rest);
  };
}

if (CLOCK !== '') {
  const { now } = Date;
  Date.now = () => now() + Number(CLOCK);
}
