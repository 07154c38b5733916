/** What a package may unpack to, as a sheet says it. */
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { put, run } from './program';

function allow(root: string, unpacked: string): void {
  const path = join(root, 'emballage.yaml');
  const sheet = JSON.parse(readFileSync(path, 'utf8')) as object;
  writeFileSync(path, JSON.stringify({ ...sheet, packages: { unpacked } }));
}

/** @param file of the package that is larger than 10 B */
export function holdsToBound(root: string, file: string): void {
  allow(root, '10 B');
  const lock = run(root, ['lock']);
  const refused = lock.status === 0 ? run(root, ['build']) : lock;
  expect(refused.status).toBe(2);
  expect(refused.stderr.replace(/ +/g, ' ')).toContain(`where ${file}\n expected at most 10 B`);
  expect(refused.stderr).toContain('packages: { unpacked: SIZE }');
  allow(root, '1 MiB');
  for (const command of ['lock', 'build']) expect(run(root, [command])).toMatchObject({ status: 0, stderr: '' });
  // What was unpacked when more was allowed is held to it as well.
  allow(root, '10 B');
  put(root, { 'src/more.txt': 'more' });
  expect(run(root, ['build']).status).toBe(2);
  allow(root, 'much');
  expect(run(root, ['build']).stderr).toContain('emballage.yaml:1:');
}
