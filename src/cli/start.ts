/** Starts the program. Loads as little as it can: asking for help must not cost what building costs. */
import { OVERVIEW_WORDS, overview } from './overview';
import { programName } from './program';

const args = process.argv.slice(2);
const [first] = args;

// A reader that goes away (`| head`) is no fault.
process.stdout.on('error', (error: NodeJS.ErrnoException) => {
  if (error.code === 'EPIPE') process.exit(0);
  throw error;
});

// Ended from outside, it leaves nothing behind: what was unpacked is removed, what was started is ended.
for (const [signal, number] of [
  ['SIGINT', 2],
  ['SIGTERM', 15],
  ['SIGHUP', 1],
] as const)
  process.on(signal, () => {
    // Commands that run until they are interrupted listen themselves.
    if (process.listenerCount(signal) === 1) process.exit(128 + number);
  });

if (first === undefined || (args.length === 1 && OVERVIEW_WORDS.includes(first))) {
  process.stdout.write(overview(programName()));
} else {
  // Should the program ever end before its command has, that is a fault of ours.
  process.exitCode = 4;
  void import('./main').then(async ({ main }) => {
    process.exitCode = await main(args);
  });
}
