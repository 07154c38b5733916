// Images, for run.mjs: making a layer of 500 MB, building again after a change of code, sending to a real registry.
import { spawn, spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { base, noise, put, reportMemory, text } from './tools.mjs';

const PORT = 8451;

export function measureImages({ program, env, byTurns, time, run, report, rows, verdict }) {
  const root = imageProject('image', 500);
  const source = join(root, 'functions/f');
  run(root, process.execPath, [program, 'lock', '--quiet']);
  const build = () => time(root, process.execPath, [program, 'build', '--quiet']);
  const forget = () => {
    for (const path of ['out', '.emballage']) rmSync(join(root, path), { recursive: true, force: true });
  };
  const [cold, other] = byTurns(3, [
    () => (forget(), build()),
    () => time(source, 'sh', ['-c', `tar -cf - . | gzip -6 > '${join(base, 'other.tar.gz')}'`]),
  ]);
  report('an image with a layer of 500 MB, against tar | gzip -6', cold, other, 0.7);
  let edits = 0;
  const [warm] = byTurns(5, [
    () => (writeFileSync(join(source, 'code.mjs'), `export const run = () => ${(edits += 1)};\n`), build()),
  ]);
  report('  again after a change of code, against that', warm, cold, 0.03);
  forget();
  reportMemory('  memory', root, [program, 'build', '--quiet'], 250);
  if (spawnSync('docker-registry', ['--version']).error === undefined)
    measureSending({ root, program, env, byTurns, time, report, rows, verdict });
  else console.error('left out: sending. Install the registry server with bash scripts/toolchains.sh');
}

function measureSending({ root, program, env, byTurns, time, report, rows, verdict }) {
  const config = join(base, 'registry.yml');
  const storage = join(base, 'registry');
  const yaml = `version: 0.1\nlog: { level: error }\nstorage: { filesystem: { rootdirectory: ${storage} } }\nhttp: { addr: "127.0.0.1:${PORT}" }\n`;
  writeFileSync(config, yaml);
  const server = spawn('docker-registry', ['serve', config], { stdio: 'ignore' });
  try {
    spawnSync('sleep', ['1']);
    // A layer that is as large packed as it is: only sending is measured here.
    rmSync(join(root, 'functions/f/data'), { recursive: true, force: true });
    // What comes again is further away than matches reach.
    const block = noise(40, 1_000_000);
    for (let i = 0; i < 10; i++)
      put(join(root, `functions/f/data/f${i}.bin`), Buffer.concat(Array.from({ length: 50 }, () => block)));
    time(root, process.execPath, [program, 'build', '--quiet']);
    const waybill = JSON.parse(readFileSync(join(root, 'out/f/x86_64/f.waybill.json'), 'utf8'));
    const layer = waybill.image.layers.find(({ name }) => name === 'data').digest;
    const blob = join(root, 'out/f/x86_64/f.oci/blobs/sha256', layer.slice('sha256:'.length));
    const empty = () => {
      rmSync(storage, { recursive: true, force: true });
      rmSync(join(root, 'emballage.ledger'), { force: true });
      mkdirSync(storage);
    };
    const send = () => time(root, process.execPath, [program, 'send', '--quiet']);
    const at = `http://127.0.0.1:${PORT}/v2/bench/curl/blobs/uploads/`;
    const upload = `u=$(curl -s -D - -o /dev/null -X POST ${at} | tr -d '\\r' | sed -n 's/^Location: //Ip'); curl -s -f -o /dev/null -X PUT -T '${blob}' "$u&digest=${layer}"`;
    const [ours, curl] = byTurns(3, [() => (empty(), send()), () => (empty(), time(base, 'sh', ['-c', upload]))]);
    report(
      `send an image with a layer of ${Math.round(statSync(blob).size / 1e6)} MB packed, against curl with that alone`,
      ours,
      curl,
      1.3,
    );
    empty();
    send();
    const again = JSON.parse(
      spawnSync(process.execPath, [program, 'send', '--tag', 'again', '--json'], {
        cwd: root,
        env: env(),
        encoding: 'utf8',
      }).stdout,
    );
    const bytes = again.sent[0].blobs.filter(({ how }) => how === 'sent').reduce((sum, { size }) => sum + size, 0);
    rows.push(['  layer bytes sent for the same under another tag', `${bytes} B`, '', '', '0 B', verdict(bytes, 0)]);
  } finally {
    server.kill();
  }
}

/** An image with a layer of so many MB, four fifths text, one fifth noise, beside a little code. */
export function imageProject(name, mb) {
  const root = join(base, name);
  const source = join(root, 'functions/f');
  put(join(root, 'base/usr/bin/node'), '#!/usr/bin/sh\n');
  put(join(root, 'base/usr/bin/sh'), 'not run here');
  spawnSync('chmod', ['755', join(root, 'base/usr/bin/node'), join(root, 'base/usr/bin/sh')]);
  put(join(source, 'code.mjs'), 'export const run = () => 0;\n');
  const blocks = [text(11, 1 << 20), text(12, 1 << 20), text(13, 1 << 20), text(14, 1 << 20), noise(15, 1 << 20)];
  for (let i = 0; i < mb * 10; i++) {
    const at = (i * 20) % 900_000;
    put(join(source, `data/d${i % 50}/f${i}.bin`), blocks[i % 5].subarray(at, at + 100_000));
  }
  const place = { source: 'functions/f', runtime: 'node 20', entry: 'code.mjs#run', artifact: 'image' };
  const functions = { f: { ...place, base: { root: 'base' }, layers: [{ name: 'data', files: ['data/**'] }] } };
  const defaults = { destination: 'd', arch: ['x86_64'] };
  writeFileSync(
    join(root, 'emballage.yaml'),
    JSON.stringify({ project: 'bench', destinations: { d: 'd.yaml' }, defaults, functions }),
  );
  writeFileSync(
    join(root, 'd.yaml'),
    `destination: d\narch: [x86_64]\naccepts: { image: {} }\nregistry: 127.0.0.1:${PORT}/bench\nruntimes: {}\n`,
  );
  return root;
}
