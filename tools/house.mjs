// Holds the code to the plan of the house: which way imports go, that they go through doors and in no circle, and that
// only its own folder knows a language.
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { dirname, join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';
import ts from 'typescript';
import {
  CHOICES,
  EXCEPTIONS,
  KITS,
  LANGUAGES,
  LANGUAGE_NAMES,
  LANGUAGE_WORDS,
  LAYERS,
  WORDS_ARE_FREE_IN,
} from './house-plan.mjs';

/** @param root absolute path of the sources @returns what is wrong, a line each */
export function faultsIn(root) {
  const files = filesBelow(root);
  const graph = new Map(files.map((file) => [file, importsOf(root, file)]));
  const faults = [];
  for (const [file, targets] of graph)
    for (const target of targets)
      for (const why of [wrongWay(file, target), otherLanguage(file, target), pastDoor(root, file, target)])
        if (why !== undefined) faults.push(`${file}: imports ${target}, ${why}`);
  for (const circle of circlesIn(graph)) faults.push(`${circle.join(' -> ')}: a circle of imports`);
  for (const file of files)
    faults.push(
      ...strayWords(root, file),
      ...strayChoices(root, file),
      ...undocumented(root, file),
      ...lostRequests(root, file),
    );
  return faults;
}

function wrongWay(file, target) {
  const [own, other] = [layerOf(file), layerOf(target)];
  if (own < 0 || other < 0) return `but ${own < 0 ? file : target} is in no layer of the plan`;
  return other > own ? `which is above ${LAYERS[own]}` : undefined;
}

function otherLanguage(file, target) {
  const [own, other] = [languageOf(file), languageOf(target)];
  if (own === undefined || other === undefined || own === other || KITS.includes(other)) return undefined;
  return 'another language';
}

function pastDoor(root, file, target) {
  for (let folder = dirname(target); !isInside(file, folder); folder = dirname(folder))
    if (target.endsWith('/index.ts')) return undefined;
    else if (existsSync(join(root, folder, 'index.ts'))) return `past the door ${folder}/index.ts`;
  return undefined;
}

/** Imports in a circle: what each reaches that reaches it again (Tarjan, strongly connected components). */
function circlesIn(graph) {
  const [found, low, stack, circles] = [new Map(), new Map(), [], []];
  const visit = (file) => {
    found.set(file, found.size);
    low.set(file, found.get(file));
    stack.push(file);
    for (const target of graph.get(file) ?? []) {
      if (!found.has(target)) visit(target);
      else if (!stack.includes(target)) continue;
      low.set(file, Math.min(low.get(file), low.get(target)));
    }
    if (low.get(file) !== found.get(file)) return;
    const circle = stack.splice(stack.indexOf(file));
    if (circle.length > 1) circles.push(circle);
  };
  for (const file of graph.keys()) if (!found.has(file)) visit(file);
  return circles;
}

function strayWords(root, file) {
  if (WORDS_ARE_FREE_IN.some((folder) => isInside(file, folder))) return [];
  const allowed = EXCEPTIONS.filter((one) => one.file === file).flatMap(({ words }) => words);
  const lines = readFileSync(join(root, file), 'utf8').split('\n');
  return lines.flatMap((line, i) => {
    const plain = allowed.reduce(
      (text, word) => text.replaceAll(word, ''),
      line.replace(/NodeJS\.|eslint-\S+ .*/g, ''),
    );
    const word = (LANGUAGE_WORDS.exec(plain) ?? LANGUAGE_NAMES.exec(plain))?.[0];
    return word === undefined ? [] : [`${file}:${i + 1}: \`${word}\`, a word of a language outside ${LANGUAGES}`];
  });
}

/** What others import says what it is for: shapes, units, errors. */
function undocumented(root, file) {
  // The encoder is another language, compiled apart.
  if (/\.test\.ts$|deflate\/encoder\//.test(file)) return [];
  const lines = readFileSync(join(root, file), 'utf8').split('\n');
  return lines.flatMap((line, i) => {
    const [, name] = /^export (?:async )?function\*? ?(\w+)/.exec(line) ?? [];
    const isOverload =
      name !== undefined && new RegExp(`^export (?:async )?function ${name}\\b`).test(lines[i - 1] ?? '');
    if (name === undefined || isOverload || /\*\/$|^\/\/ eslint-/.test(lines[i - 1] ?? '')) return [];
    return [`${file}:${i + 1}: \`${name}\` has no doc comment`];
  });
}

/** Tests name what they mean. */
function strayChoices(root, file) {
  if (file.endsWith('.test.ts')) return [];
  const lines = readFileSync(join(root, file), 'utf8').split('\n');
  return CHOICES.filter(({ free }) => !free.some((folder) => isInside(file, folder))).flatMap(({ of, pattern, free }) =>
    lines.flatMap((line, i) => {
      const found = pattern.exec(line)?.[0];
      return found === undefined
        ? []
        : [`${file}:${i + 1}: \`${found}\`, a choice of ${of} by name outside ${free[0]}`];
    }),
  );
}

/** What is loaded late by `require` is text to the compiler: whether it leads anywhere shows only when it runs. */
function lostRequests(root, file) {
  const text = readFileSync(join(root, file), 'utf8');
  return [...text.matchAll(/\brequire\('(\.[^']+)'\) as typeof import\('([^']+)'\)/g)].flatMap(([, request, types]) =>
    request === types ? [] : [`${file}: requires ${request}, with the types of ${types}`],
  );
}

function languageOf(file) {
  const [, name] = new RegExp(`^${LANGUAGES}/([^/]+)/`).exec(file) ?? [];
  return name === undefined ? undefined : `${LANGUAGES}/${name}`;
}

function layerOf(file) {
  return LAYERS.findIndex((layer) => isInside(file, layer));
}

function isInside(path, folder) {
  return folder === '.' || path === folder || path.startsWith(`${folder}/`);
}

function importsOf(root, file) {
  const text = readFileSync(join(root, file), 'utf8');
  return ts.preProcessFile(text).importedFiles.flatMap(({ fileName }) => {
    // An interface that others add to is declared where it stands, since doors cannot be added to.
    if (!fileName.startsWith('.') || text.includes(`declare module '${fileName}'`)) return [];
    const path = join(dirname(file), fileName);
    const target = [`${path}.ts`, join(path, 'index.ts'), path].find(
      (one) => one.endsWith('.ts') && existsSync(join(root, one)),
    );
    return target === undefined ? [] : [target];
  });
}

function filesBelow(root, folder = root) {
  return readdirSync(folder, { withFileTypes: true })
    .sort((a, b) => (a.name < b.name ? -1 : 1))
    .flatMap((one) => {
      const path = join(folder, one.name);
      if (one.isDirectory()) return filesBelow(root, path);
      return one.name.endsWith('.ts') && !one.name.endsWith('.test.ts') ? [relative(root, path)] : [];
    });
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  const faults = faultsIn(fileURLToPath(new URL('../src', import.meta.url)));
  for (const fault of faults) console.error(fault);
  if (faults.length > 0) process.exit(1);
}
