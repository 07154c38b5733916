// Compiles the deflate encoder to WebAssembly and writes it into a TypeScript module, so that building the tool does not
// need the compiler. With --check nothing is written: it fails when the module is not what the source compiles to.
import { readFileSync, writeFileSync } from 'node:fs';
import asc from 'assemblyscript/asc';

const source = 'src/core/formats/deflate/encoder/index.ts';
const target = 'src/core/formats/deflate/encoder-module.ts';

process.chdir(new URL('..', import.meta.url).pathname);
let wasm;
const { error, stderr } = await asc.main(
  [source, '--outFile', 'encoder.wasm', '-O3', '--runtime', 'stub', '--noAssert'],
  {
    writeFile: (_name, contents) => (wasm = contents),
  },
);
if (error !== null || wasm === undefined) throw new Error(`the encoder does not compile:\n${stderr.toString()}`);

const lines = Buffer.from(wasm)
  .toString('base64')
  .match(/.{1,110}/g)
  .map((line) => `  '${line}'`);
const text = `// Written by scripts/encoder.mjs from the folder encoder/. Not for editing.
// prettier-ignore
export const ENCODER_MODULE =
${lines.join(' +\n')};
`;
if (!process.argv.includes('--check')) writeFileSync(target, text);
else if (readFileSync(target, 'utf8') !== text) {
  console.error(`${target} is not what ${source} compiles to: run node scripts/encoder.mjs`);
  process.exit(1);
}
