// Go and Rust: the plain program is what the compiler makes by itself.
import { spawnSync } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';

const EVENT = '{"data":{}}\n';

function write(folder, files) {
  for (const [path, text] of Object.entries(files)) {
    mkdirSync(dirname(join(folder, path)), { recursive: true });
    writeFileSync(join(folder, path), text);
  }
}

function run(cwd, program, args, input) {
  const { status, stdout, stderr } = spawnSync(program, args, { cwd, encoding: 'utf8', maxBuffer: 1 << 28, input });
  if (status !== 0) throw new Error(`${program}: ${stderr.slice(-1500)}`);
  return stdout;
}

/** @param make the files of a case, and what settles its packages; @param compile gives the program */
function compiled(runtime, entry, make, compile) {
  return {
    forms: [{}],
    spec: () => ({ runtime, entry }),
    source: make,
    settled: (answer) => JSON.stringify(answer),
    plain(one, folder) {
      try {
        make(one, folder);
        const [answer = ''] = run(folder, compile(folder), [], EVENT).split('\n');
        return { answer: JSON.stringify(JSON.parse(answer)) };
      } catch (error) {
        return { error: error.message };
      }
    },
  };
}

const goMain = ({ imports = [], code }) =>
  `package main\n\nimport (\n\t"bufio"\n\t"encoding/json"\n\t"fmt"\n\t"os"\n${imports.map((one) => `\t${one}\n`).join('')})\n\nfunc answer() any {\n${code}\n}\n\nfunc main() {\n\tlines := bufio.NewScanner(os.Stdin)\n\tfor lines.Scan() {\n\t\ttext, _ := json.Marshal(answer())\n\t\tfmt.Println(string(text))\n\t}\n}\n`;

export const go = compiled(
  'go',
  'main.go',
  (one, folder) => {
    write(folder, { 'main.go': goMain(one), 'go.mod': 'module gauge\n\ngo 1.19\n' });
    run(folder, 'go', ['mod', 'tidy']);
  },
  (folder) => {
    run(folder, 'go', ['build', '-o', 'plain', '.']);
    return join(folder, 'plain');
  },
);

const rustMain = ({ code, items = '' }) =>
  `use std::io::BufRead;\n${items}\nfn answer() -> String {\n${code}\n}\nfn main() {\n    for line in std::io::stdin().lock().lines() {\n        let _ = line;\n        println!("{:?}", answer());\n    }\n}\n`;

export const rust = compiled(
  'rust',
  'src/main.rs',
  (one, folder) => {
    const needs = one.needs.map((need) => {
      const [name, rest] = [need.split('@')[0], need.slice(need.indexOf('@') + 1)];
      return `${name} = ${rest.startsWith('{') ? rest : `"${rest}"`}\n`;
    });
    write(folder, {
      'src/main.rs': rustMain(one),
      'Cargo.toml': `[package]\nname = "gauge"\nversion = "0.1.0"\nedition = "2021"\n[dependencies]\n${needs.join('')}`,
    });
    run(folder, 'cargo', ['generate-lockfile', '--quiet']);
  },
  (folder) => {
    run(folder, 'cargo', ['build', '--quiet', '--locked']);
    return join(folder, 'target/debug/gauge');
  },
);
