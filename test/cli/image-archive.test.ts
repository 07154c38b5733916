import { spawnSync } from 'node:child_process';
import { chmodSync, existsSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { imageProject } from '../support/images';
import { folderWith, HORN, put, run } from '../support/program';
import type { Waybill } from '../../src/core/waybill';

const MOORINGS = 'destination: moorings\narch: [x86_64]\naccepts: { image: {} }\nruntimes: {}\n';
const ARTIFACT = 'out/horn/x86_64/horn.oci';
const ARCHIVE = `${ARTIFACT}.tar`;

function rootProject(keys: Readonly<Record<string, unknown>> = {}): string {
  const root = imageProject(
    MOORINGS,
    { base: { root: 'bases/root' }, ...keys },
    { 'bases/root/usr/bin/node': '#!/bin/sh\n' },
  );
  chmodSync(join(root, 'bases/root/usr/bin/node'), 0o755);
  expect(run(root, ['lock'])).toMatchObject({ stderr: '', status: 0 });
  return root;
}

function built(root: string): Waybill {
  expect(run(root, ['build'])).toMatchObject({ stderr: '', status: 0 });
  return JSON.parse(readFileSync(join(root, 'out/horn/x86_64/horn.waybill.json'), 'utf8')) as Waybill;
}

describe('an image as a folder and as one file', () => {
  it('is written as one file too where that is wanted, and not left beside another image', () => {
    const root = rootProject({ archive: true });
    const { artifact } = built(root);
    expect(artifact.file).toBe('horn.oci');
    const first = readFileSync(join(root, ARCHIVE));
    const [alone, folder] = [rootProject(), folderWith({})];
    expect(built(alone).artifact).toEqual(artifact);
    expect(existsSync(join(alone, ARCHIVE))).toBe(false);
    expect(run(alone, ['build', '--archive']).stdout).toContain(`as one file: ${ARCHIVE}`);
    expect(readFileSync(join(alone, ARCHIVE)).equals(first)).toBe(true);
    spawnSync('tar', ['-xf', join(root, ARCHIVE), '-C', folder]);
    expect(spawnSync('diff', ['-r', folder, join(root, ARTIFACT)], { encoding: 'utf8' })).toMatchObject({
      stdout: '',
      status: 0,
    });
    expect(run(root, ['compare', ARTIFACT, ARCHIVE]).stdout).toContain('same');
    expect(run(root, ['prove', 'horn', '--against', ARCHIVE]).status).toBe(0);

    const inode = (): number => statSync(join(root, ARCHIVE)).ino;
    const before = inode();
    built(root);
    expect(inode()).toBe(before);
    writeFileSync(join(root, ARCHIVE), 'cut off');
    built(root);
    expect(readFileSync(join(root, ARCHIVE)).equals(first)).toBe(true);

    put(alone, { 'src/horn.mjs': `${HORN}// louder\n` });
    built(alone);
    expect(existsSync(join(alone, ARCHIVE))).toBe(false);
  });

  it('is made again where its layout is not as it was left', () => {
    const root = rootProject();
    const { artifact } = built(root);
    const blobs = join(root, ARTIFACT, 'blobs/sha256');
    const [some = ''] = readdirSync(blobs);
    for (const harm of [
      () => rmSync(join(blobs, some)),
      () => writeFileSync(join(blobs, some), 'another'),
      () => rmSync(join(root, ARTIFACT, 'index.json')),
      () => rmSync(blobs, { recursive: true }),
    ]) {
      harm();
      expect(built(root).artifact).toEqual(artifact);
      const sums = spawnSync('sha256sum', readdirSync(blobs), { cwd: blobs, encoding: 'utf8' }).stdout.trim();
      for (const line of sums.split('\n')) expect(line).toMatch(/^([0-9a-f]{64}) {2}\1$/);
    }
  });
});
