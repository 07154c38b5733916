// How the time of each work grows: at a quarter of its size, at its size, and at four times that.
import { spawnSync } from 'node:child_process';
import { mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { imageProject } from './image.mjs';
import { locked, many } from './many.mjs';
import { elfFiles } from './natives.mjs';
import { makeApplication } from './node-app.mjs';
import { syntheticWheels } from './packages.mjs';
import {
  base,
  growths,
  makeTree,
  ms,
  noise,
  program,
  project,
  put,
  ratio,
  run,
  text,
  time,
  verdict,
} from './tools.mjs';

const node = process.execPath;
const script = (name) => fileURLToPath(new URL(name, import.meta.url));
const forget = (root) => {
  for (const name of ['out', '.emballage', 'emballage.lock'])
    rmSync(join(root, name), { recursive: true, force: true });
};
const build = (root) => time(root, node, [program, 'build', '--quiet']);
/** Nothing may grow faster than its work; what is left is noise. */
const MOST_POWER = 1.15;

/** Each makes the work of a size, and gives what is timed. */
const WORKS = {
  'cold zip, files': [
    5000,
    (files) => {
      const root = project(`grow-zip-${files}`, 1);
      makeTree(join(root, 'functions/f0'), files, 20_000);
      return () => (forget(root), build(root));
    },
  ],
  'nothing changed, files': [
    20_000,
    (files) => {
      const root = project(`grow-same-${files}`, 30);
      for (let i = 0; i < 30; i++) makeTree(join(root, `functions/f${i}`), Math.round(files / 30), 300);
      build(root);
      return () => build(root);
    },
  ],
  'trace and link, modules': [
    3000,
    (modules) => {
      const root = project(`grow-link-${modules}`, 1, { entry: 'app.mjs#run', link: true });
      makeApplication(join(root, 'functions/f0'), modules);
      return () => (forget(root), time(root, node, [script('link.mjs'), root]));
    },
  ],
  'link again after one edit, modules': [
    3000,
    (modules) => {
      const root = project(`grow-edit-${modules}`, 1, { entry: 'app.mjs#run', link: true });
      makeApplication(join(root, 'functions/f0'), modules);
      time(root, node, [script('link.mjs'), root]);
      let edits = 0;
      const last = join(root, 'functions/f0/part-0/m1.mjs');
      const code = spawnSync('cat', [last], { encoding: 'utf8' }).stdout;
      return () => {
        writeFileSync(last, `${code}// edit ${(edits += 1)}\n`);
        return time(root, node, [script('link.mjs'), root]);
      };
    },
  ],
  'strip, files': [
    12,
    (files) => {
      const big = elfFiles().big.slice(0, 3);
      if (big.length < 3) return undefined;
      const list = Array.from({ length: files }, (_, i) => big[i % 3]);
      return () => time(base, node, [script('native.mjs'), 'strip', ...list, join(base, 'stripped')]);
    },
  ],
  'image again after a change of code, MB in another layer': [
    500,
    (mb) => {
      const root = imageProject(`grow-image-${mb}`, mb);
      run(root, node, [program, 'lock', '--quiet']);
      build(root);
      let edits = 0;
      return () => {
        writeFileSync(join(root, 'functions/f/code.mjs'), `export const run = () => ${(edits += 1)};\n`);
        return build(root);
      };
    },
  ],
  'merge with a package moved, JARs': [60, jarsOf],
  'settle and unpack, wheels': [
    40,
    (wheels) => {
      const root = syntheticWheels(wheels);
      return () => (forget(root), time(root, node, [script('settle.mjs'), root]));
    },
  ],
  'check, functions in six languages': [
    200,
    (functions) => {
      const { root } = many(functions);
      return () => time(root, node, [program, 'check', '--quiet']);
    },
  ],
  'lock, nothing changed, functions': [
    200,
    (functions) => {
      const root = locked(functions);
      return () => time(root, node, [program, 'lock', '--quiet']);
    },
  ],
};

export function growth() {
  for (const [what, [size, make]] of Object.entries(WORKS)) {
    const sizes = [size / 4, size, size * 4];
    const times = [];
    for (const one of sizes) {
      const work = make(one);
      if (work === undefined) break;
      work();
      times.push([work(), work(), work()].sort((a, b) => a - b)[1]);
      rmSync(base, { recursive: true, force: true });
      mkdirSync(base);
    }
    if (times.length < 3) {
      console.error(`left out: ${what}. What it takes is not on this machine`);
      continue;
    }
    const power = Math.log(times[2] / times[1]) / Math.log(4);
    console.error(`${what}: ${times.map(ms).join(', ')}`);
    growths.push([what, sizes.join(' / '), ...times.map(ms), ratio(power), verdict(power, MOST_POWER)]);
  }
}

/** JARs of classes that a compiler made, each with a package of its own; a JAR is a zip archive. */
function jarsOf(jars) {
  if (spawnSync('javac', ['-version']).status !== 0) return undefined;
  const keys = {
    runtime: 'java 17',
    entry: 'bench.Main#run',
    artifact: 'jar',
    relocate: { 'org.bench.p0': 'moved.p0' },
  };
  const root = project(`grow-jars-${jars}`, 1, keys);
  const [sources, classes] = [join(base, 'jar-sources'), join(base, 'jar-classes')];
  for (let i = 0; i < jars; i++)
    for (let k = 0; k < 20; k++) {
      const body = text(20 * i + k, 3000)
        .toString()
        .replaceAll(/[^a-z ]/g, ' ');
      const code = `public class C${k} { static final String S = "${body}"; public static Object run(Object e) { return S + e; } }`;
      put(join(sources, `p${i}/C${k}.java`), `package org.bench.p${i}; ${code}\n`);
    }
  run(base, 'sh', ['-c', `find '${sources}' -name '*.java' > all && javac -d '${classes}' @all`]);
  const source = join(root, 'functions/f0');
  put(
    join(source, 'bench/Main.java'),
    'package bench; public class Main { public static Object run(Object e) { return e; } }\n',
  );
  for (let i = 0; i < jars; i++) run(classes, 'zip', ['-q', '-r', join(source, `p${i}.jar`), `org/bench/p${i}`]);
  return () => (forget(root), build(root));
}
