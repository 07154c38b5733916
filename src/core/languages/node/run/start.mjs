// Starts a function in an image: loads it, then reads an event a line on standard input (CloudEvents in JSON) and writes an
// answer a line on standard output. What the function itself writes goes to standard error, which is its log. A function
// that throws ends with its stack there and exit code 1.
import { readFileSync, writeSync } from 'node:fs';
import { createInterface } from 'node:readline';
import { fileURLToPath, pathToFileURL } from 'node:url';

const plan = JSON.parse(readFileSync(fileURLToPath(new URL('start.json', import.meta.url)), 'utf8'));
// Answers are written to the descriptor itself; everything else that means standard output is log.
process.stdout.write = process.stderr.write.bind(process.stderr);

const module = await import(pathToFileURL(`${plan.root}/${plan.file}`).href);
// CommonJS members that were not seen by reading stand on the default export only.
const member = module[plan.member] ?? module.default?.[plan.member];
if (typeof member !== 'function') throw new Error(`${plan.file} exports no function ${plan.member}`);

let calls = 0;
for await (const line of createInterface({ input: process.stdin })) {
  if (line.trim() === '') continue;
  calls += 1;
  const context = {
    name: plan.name,
    memory: plan.memory,
    run: `run-${calls}`,
    deadline: new Date(Date.now() + plan.timeoutMs).toISOString(),
  };
  const value = await member(JSON.parse(line), context);
  answer(`${JSON.stringify(value ?? null)}\n`);
}

function answer(text) {
  const bytes = Buffer.from(text);
  for (let done = 0; done < bytes.length;) {
    try {
      done += writeSync(1, bytes, done);
    } catch (error) {
      if (error.code !== 'EAGAIN') throw error;
    }
  }
}
