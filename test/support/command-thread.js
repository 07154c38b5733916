/** Runs commands of the program one after the other, as a process of its own would: through the same entry, from the pack. */
const { parentPort, workerData } = require('node:worker_threads');

const { program, signal, port } = workerData;
process.argv.splice(1, process.argv.length, program);
const { main } = require(`${program}/../load.js`)('dist/cli/main.js');
/** What listens to the end of the thread itself; the rest belongs to a command. */
const ownListeners = new Set(process.listeners('exit'));

parentPort.on('message', ({ cwd, env, args }) => {
  const out = { stdout: [], stderr: [] };
  surround(cwd, env, args, out);
  let isOver = false;
  const end = (status) => {
    if (isOver) return;
    isOver = true;
    process.removeListener('uncaughtException', failed);
    process.removeListener('unhandledRejection', failed);
    endAsProcess(status);
    port.postMessage({ status, stdout: out.stdout.join(''), stderr: out.stderr.join('') });
    Atomics.store(signal, 0, 1);
    Atomics.notify(signal, 0);
  };
  const failed = (error) => {
    out.stderr.push(`${error?.stack ?? error}\n`);
    end(1);
  };
  process.on('uncaughtException', failed).on('unhandledRejection', failed);
  main(args).then(end, failed);
});

/** What a command sees of the process that it runs in. */
function surround(cwd, env, args, out) {
  for (const name of Object.keys(process.env)) if (env[name] === undefined) delete process.env[name];
  for (const [name, value] of Object.entries(env)) if (value !== undefined) process.env[name] = value;
  process.cwd = () => cwd;
  process.argv.splice(2, process.argv.length, ...args);
  for (const name of ['stdout', 'stderr']) {
    process[name].write = (chunk, ...rest) => {
      out[name].push(chunk.toString());
      const done = rest.at(-1);
      if (typeof done === 'function') process.nextTick(done);
      return true;
    };
  }
}

/** What ends with a process ends with the command. */
function endAsProcess(status) {
  for (const listener of process.rawListeners('exit')) if (!ownListeners.has(listener)) listener.call(process, status);
}
