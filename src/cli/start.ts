/** Starts the program. Loads as little as it can: asking for help must not cost what building costs. */
import { endOnSignals } from './interrupt';
import { columnsHere, writeOut } from './output';
import { OVERVIEW_WORDS, overview } from './overview';
import { programName } from './program';

const args = process.argv.slice(2);
const [first] = args;

// A reader that goes away (`| head`) is no fault.
for (const stream of [process.stdout, process.stderr])
  stream.on('error', (error: NodeJS.ErrnoException) => {
    if (error.code === 'EPIPE') process.exit(0);
    throw error;
  });

endOnSignals();

if (first === undefined || (args.length === 1 && OVERVIEW_WORDS.includes(first))) {
  writeOut(overview(programName(), columnsHere()));
} else {
  // Should the program ever end before its command has, that is a fault of ours.
  process.exitCode = 4;
  void import('./main').then(async ({ main }) => {
    process.exitCode = await main(args);
  });
}
