// Makes the page of weights: its modules, the layout library and the style go into one file that loads nothing else.
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { join } from 'node:path';

const { minify } = createRequire(import.meta.url)('terser');
const FOLDER = 'dist/cli/page';
const LIBRARY = 'node_modules/d3-hierarchy';

/** Written beside the program, with a mark where what it shows goes. */
export async function writePage() {
  const { status } = spawnSync(process.execPath, ['node_modules/typescript/bin/tsc', '-p', 'tsconfig.page.json'], {
    stdio: 'inherit',
  });
  if (status !== 0) process.exit(1);
  const read = (name) => readFileSync(join(FOLDER, name), 'utf8');
  const modules = read('modules.js');
  const library = readFileSync(join(LIBRARY, 'dist/d3-hierarchy.min.js'), 'utf8');
  const script = `${licence()}\n${await small(`${library}\n${joined(modules)}`)}`;
  const style = read('page.css').replace(/\s+/g, ' ').trim();
  const parts = { SCRIPT_DIGEST: digest(script), STYLE_DIGEST: digest(style), STYLE: style, SCRIPT: script };
  // The digests are those of what stands between the tags, to the byte.
  const shell = read('shell.html')
    .replace(/\n\s*/g, '\n')
    .replace(/>\s*(%(?:STYLE|SCRIPT|DATA)%)\s*</g, '>$1<');
  const page = shell.replace(/%(SCRIPT_DIGEST|STYLE_DIGEST|STYLE|SCRIPT)%/g, (_, name) => parts[name]);
  for (const name of ['modules.js', 'page.css', 'shell.html']) rmSync(join(FOLDER, name));
  writeFileSync(join(FOLDER, 'page.html'), page);
}

/** The compiler writes each module as a call of `define`, those that others need before them. */
function joined(modules) {
  return `(() => {
    const known = { 'd3-hierarchy': globalThis.d3 };
    const define = (name, needs, make) => {
      const exports = (known[name] = {});
      make(...needs.map((need) => (need === 'exports' ? exports : known[need])));
    };
    ${modules}
  })();`;
}

async function small(code) {
  const { code: made } = await minify(code, { ecma: 2020, format: { comments: false } });
  return made;
}

/** The library's licence wants to be in every copy. */
function licence() {
  const { version } = JSON.parse(readFileSync(join(LIBRARY, 'package.json'), 'utf8'));
  return `/*\nd3-hierarchy ${version}\n${readFileSync(join(LIBRARY, 'LICENSE'), 'utf8').trim()}\n*/`;
}

function digest(text) {
  return `sha256-${createHash('sha256').update(text).digest('base64')}`;
}
