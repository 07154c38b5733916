// Parses the files of a list with the parser library alone, one after the other.
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { parse } from 'acorn';

const [, , root, list] = process.argv;
for (const path of JSON.parse(readFileSync(list, 'utf8')))
  parse(readFileSync(join(root, path), 'utf8'), {
    ecmaVersion: 'latest',
    sourceType: path.endsWith('.cjs') ? 'script' : 'module',
  });
