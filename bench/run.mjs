// Compares the program with plain system tools in one run and prints ratios. What was measured is kept, and with --results
// all of it goes to results.md, also what another run has measured; --results --kept measures nothing.
// Each pair is run by turns, so that whatever else the machine does falls on both; medians are compared.
import { measureAssemblies } from './assemblies.mjs';
import { measureDelivering } from './delivering.mjs';
import { growth } from './growth.mjs';
import { measureImages } from './image.mjs';
import { checkMany, lockMany } from './many.mjs';
import { natives } from './natives.mjs';
import { jars, wheels } from './packages.mjs';
import { coldBuild, largeTree, modules, nothingChanged, smallCommands, startUp } from './packing.mjs';
import { keepMeasured, writeResults } from './results.mjs';
import { measureScanning } from './scanning.mjs';
import { measureSeeing } from './seeing.mjs';
import { measureSharing } from './sharing.mjs';
import * as tools from './tools.mjs';
import { trees } from './trees.mjs';

const MEASURES = {
  startUp,
  coldBuild,
  trees,
  nothingChanged,
  smallCommands,
  largeTree,
  modules,
  wheels,
  jars,
  natives,
  images: () => measureImages(tools),
  checkMany,
  lockMany,
  seeing: () => measureSeeing(tools),
  sharing: () => measureSharing(tools),
  delivering: () => measureDelivering(tools),
  scanning: () => measureScanning({ ...tools, words: tools.text }),
  assemblies: () => measureAssemblies(tools),
  growth,
};

// All of them, or those that are named.
const words = process.argv.slice(2);
const only = words.filter((word) => !word.startsWith('--'));
const unknown = words.filter((word) => !['--results', '--kept', ...Object.keys(MEASURES)].includes(word));
if (unknown.length > 0) {
  console.error(
    `${unknown.join(', ')}: no measure. There are ${Object.keys(MEASURES).join(', ')}; and --results, --kept`,
  );
  process.exit(2);
}
for (const [name, measure] of Object.entries(MEASURES)) {
  if (only.length > 0 ? !only.includes(name) : words.includes('--kept')) continue;
  const before = [tools.rows.length, tools.growths.length];
  await measure();
  const [rows, growths] = [tools.rows.slice(before[0]), tools.growths.slice(before[1])];
  // What is there already is told while the rest is measured.
  if (rows.length > 0) console.log(tools.table([tools.HEAD, ...rows]));
  if (growths.length > 0) console.log(tools.table([tools.GROWTH_HEAD, ...growths]));
  keepMeasured(name, { rows, growths });
}
if (words.includes('--results')) await writeResults(Object.keys(MEASURES), tools);
