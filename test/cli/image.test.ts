import { spawnSync } from 'node:child_process';
import {
  chmodSync,
  copyFileSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { join } from 'node:path';
import { imageProject as projectFor, layoutFolder, sha256 } from '../support/images';
import { CONFIG_SCHEMA, INDEX_SCHEMA, MANIFEST_SCHEMA, validate } from '../support/oci-schemas';
import { noise } from '../support/data';
import { elfFile } from '../support/foreign-images';
import { itNeeds, itWith, programNeed } from '../support/needs';
import { folderWith, HORN, put, run, type Files } from '../support/program';
import { namesIn } from '../../src/core/disk/names-in';
import type { Waybill } from '../../src/core/waybill';
import { whyNoRoot } from '../../src/standins/host/image';

const MOORINGS = `destination: moorings
arch: [x86_64, arm64]
accepts: { image: { packed: 256 MiB, layer: 128 MiB, layers: 8 } }
runtimes: {}
`;
const ARTIFACT = 'out/horn/x86_64/horn.oci';

const imageProject = (keys: Readonly<Record<string, unknown>>, more: Files = {}): string =>
  projectFor(MOORINGS, keys, more);

const ROOT: Files = {
  'bases/root/usr/bin/node': '#!/usr/bin/sh\n',
  'bases/root/usr/bin/sh': 'not run here',
  'bases/root/etc/os-release': 'NAME=harbour\n',
};

function rootProject(keys: Readonly<Record<string, unknown>> = {}): string {
  const root = imageProject({ base: { root: 'bases/root' }, ...keys }, ROOT);
  spawnSync('chmod', ['755', join(root, 'bases/root/usr/bin/node'), join(root, 'bases/root/usr/bin/sh')]);
  expect(run(root, ['lock'])).toMatchObject({ stderr: '', status: 0 });
  return root;
}

function built(root: string): Waybill {
  expect(run(root, ['build'])).toMatchObject({ stderr: '', status: 0 });
  return JSON.parse(readFileSync(join(root, 'out/horn/x86_64/horn.waybill.json'), 'utf8')) as Waybill;
}

/** Reads an image with tar and sha256sum, and nothing of ours. */
function readBack(folder: string): {
  manifest: Record<string, unknown>;
  config: Record<string, unknown>;
  layers: string[][];
} {
  const blobs = join(folder, 'blobs/sha256');
  const sums = spawnSync('sha256sum', readdirSync(blobs), { cwd: blobs, encoding: 'utf8' }).stdout.trim().split('\n');
  for (const line of sums) expect(line).toMatch(/^([0-9a-f]{64}) {2}\1$/);
  const json = (name: string): Record<string, unknown> =>
    JSON.parse(readFileSync(join(folder, name), 'utf8')) as Record<string, unknown>;
  const index = json('index.json') as { manifests: { digest: string }[] };
  const of = (digest: string): string => `blobs/sha256/${digest.slice(7)}`;
  const manifest = json(of(index.manifests[0]?.digest ?? '')) as {
    config: { digest: string };
    layers: { digest: string }[];
  };
  validate(INDEX_SCHEMA, index);
  validate(MANIFEST_SCHEMA, manifest);
  const config = json(of(manifest.config.digest));
  validate(CONFIG_SCHEMA, config);
  const layers = manifest.layers.map(({ digest }) =>
    spawnSync('tar', ['-tzf', join(folder, of(digest))], { encoding: 'utf8' })
      .stdout.trim()
      .split('\n'),
  );
  return { manifest, config, layers };
}

const unshare = spawnSync('sh', ['-c', 'command -v unshare'], { encoding: 'utf8' }).stdout.trim();
/** Tests that run something in a root folder of its own, where the system lets them. */
const itWithRoot = (...programs: readonly string[]): jest.It =>
  itNeeds(
    {
      isHere: unshare !== '' && whyNoRoot(unshare) === undefined,
      what: 'a root folder of its own',
      from: 'util-linux',
    },
    ...programs.map(programNeed),
  );

describe('a function as an image', () => {
  it('stands on its base, in layers by how often they change, as the standard wants it', () => {
    const root = rootProject({ labels: { crew: 'bells' }, layers: [{ name: 'tones', files: ['tones/**'] }] });
    put(root, { 'src/tones/low.txt': 'low' });
    const waybill = built(root);
    const { manifest, config, layers } = readBack(join(root, ARTIFACT));
    expect(layers).toEqual([
      ['etc/', 'etc/os-release', 'usr/', 'usr/bin/', 'usr/bin/node', 'usr/bin/sh'],
      ['function/', 'function/tones/', 'function/tones/low.txt'],
      ['emballage/', 'emballage/start.json', 'emballage/start.mjs', 'function/', 'function/horn.mjs'],
    ]);
    expect(config).toMatchObject({
      created: '1970-01-01T00:00:00Z',
      architecture: 'amd64',
      config: {
        User: '65534:65534',
        Entrypoint: ['/usr/bin/node', '/emballage/start.mjs'],
        WorkingDir: '/function',
        Labels: { crew: 'bells' },
      },
    });
    expect(config.history).toHaveLength(3);
    expect(manifest.annotations).toEqual({
      'org.opencontainers.image.created': '1970-01-01T00:00:00Z',
      'org.opencontainers.image.title': 'horn',
    });
    expect(waybill.image?.layers.map(({ name, files }) => [name, files])).toEqual([
      ['tones', 3],
      ['function', 5],
    ]);
    expect(waybill.files.map(({ path, layer }) => `${path} ${layer ?? ''}`)).toContain('function/tones/low.txt tones');
    expect(waybill.artifact.sha256).toBe(waybill.image?.digest.slice(7));
  });

  it('has the same digests in another folder, and keeps its other layers when code changes', () => {
    const [a, b] = [rootProject(), rootProject()];
    const [first, second] = [built(a), built(b)];
    expect(second).toEqual(first);
    expect(spawnSync('diff', ['-r', join(a, 'out'), join(b, 'out')], { encoding: 'utf8' }).stdout).toBe('');
    const index = (root: string): string => readFileSync(join(root, 'out/horn/horn.oci/index.json'), 'utf8');
    expect(index(a)).toBe(index(b));
    put(a, { 'src/horn.mjs': `${HORN}// louder\n` });
    const changed = built(a);
    expect(changed.image?.base).toEqual(first.image?.base);
    expect(changed.image?.digest).not.toBe(first.image?.digest);
    put(a, { 'src/horn.mjs': HORN });
    expect(built(a)).toEqual(first);
    expect(run(a, ['build']).stdout).toContain('unchanged');
    rmSync(join(a, 'out/horn/horn.oci'), { recursive: true });
    built(a);
    expect(existsSync(join(a, 'out/horn/horn.oci/index.json'))).toBe(true);
    expect(run(a, ['prove']).status).toBe(0);
  }, 120_000);

  it('is checked again without unpacking what is known, and not without a look at it', () => {
    const root = imageProject(
      { base: { root: 'bases/root' }, layers: [{ name: 'tones', files: ['tones/**'] }] },
      { ...ROOT, 'src/tones/hiss': noise(3, 1_200_000), 'src/tones/bell.so': elfFile('arm64') },
    );
    expect(run(root, ['lock'])).toMatchObject({ stderr: '', status: 0 });
    const waybill = built(root);
    const check = (): string => run(root, ['check', '--json']).stdout;
    const first = check();
    expect(first).toContain('for arm64, such as');
    const kept = join(root, '.emballage');
    const listings = readdirSync(kept).flatMap((code) => namesIn(join(kept, code, 'listings')));
    expect(listings).toHaveLength(1);
    expect(check()).toBe(first);
    const layer = waybill.image?.layers.find(({ name }) => name === 'tones')?.digest.slice(7) ?? '';
    const blob = join(root, ARTIFACT, 'blobs/sha256', layer);
    const bytes = readFileSync(blob);
    // Another file of the same content, and then of other content.
    rmSync(blob);
    writeFileSync(blob, bytes);
    expect(check()).toBe(first);
    bytes[bytes.length - 100] = (bytes.at(-100) ?? 0) ^ 1;
    writeFileSync(blob, bytes);
    expect(run(root, ['check'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('the content of') as unknown,
    });
  });

  it('carries the time that SOURCE_DATE_EPOCH says', () => {
    const root = rootProject({ layers: 'one' });
    run(root, ['build'], { env: { SOURCE_DATE_EPOCH: '1000000000' } });
    const { config, layers } = readBack(join(root, ARTIFACT));
    expect(config.created).toBe('2001-09-09T01:46:40Z');
    expect(layers).toHaveLength(2);
  });

  it('stands on what was settled, whatever has become of where it came from', () => {
    const root = rootProject();
    const first = built(root);
    put(root, { 'bases/root/etc/os-release': 'NAME=pier\n', 'src/horn.mjs': `${HORN}\n` });
    const refused = run(root, ['build']);
    expect([refused.status, refused.stderr.includes('run `emballage lock horn`')]).toEqual([2, true]);
    // What is known by its digest is in the store; where it came from may be gone.
    rmSync(join(root, 'bases/root'), { recursive: true });
    mkdirSync(join(root, 'bases/root'));
    expect(built(root).image?.base).toEqual(first.image?.base);
  });

  it('stands on a root file system in an archive, of which the same comes', () => {
    const folder = rootProject();
    const root = imageProject({ base: { root: 'bases/root.tar.gz' } });
    mkdirSync(join(root, 'bases'));
    const args = [
      '--numeric-owner',
      '--owner=0',
      '--group=0',
      '-czf',
      join(root, 'bases/root.tar.gz'),
      '-C',
      join(folder, 'bases/root'),
      '.',
    ];
    spawnSync('tar', args);
    expect(run(root, ['lock']).status).toBe(0);
    expect(built(root).image?.base?.layers).toEqual(built(folder).image?.base?.layers);
  });

  it('stands on an image of a layout, and inherits from it', () => {
    const root = imageProject({ base: { layout: 'bases/layout', tag: 'slim' }, arch: ['arm64', 'x86_64'] });
    const layer = [{ name: 'opt/node/bin/node', data: 'elf', mode: 0o755 }];
    const config = {
      Env: ['PATH=/opt/node/bin', 'LANG=C'],
      User: 'root',
      Labels: { base: 'yes' },
      Entrypoint: ['/bin/false'],
      Cmd: ['x'],
      StopSignal: 'SIGINT',
    };
    const image = (architecture: string) => ({
      layers: [layer],
      config,
      architecture,
      platform: { os: 'linux', architecture },
    });
    layoutFolder(join(root, 'bases/layout'), [image('amd64'), image('arm64')]);
    const name = 'org.opencontainers.image.ref.name';
    const path = join(root, 'bases/layout/index.json');
    const index = JSON.parse(readFileSync(path, 'utf8')) as { manifests: object[] };
    writeFileSync(
      path,
      JSON.stringify({
        ...index,
        manifests: index.manifests.map((one) => ({ ...one, annotations: { [name]: 'slim' } })),
      }),
    );
    expect(run(root, ['lock']).status).toBe(0);
    built(root);
    expect(readBack(join(root, 'out/horn/arm64/horn.oci')).config).toMatchObject({
      architecture: 'arm64',
      config: {
        User: '65534:65534',
        Env: ['PATH=/opt/node/bin', 'LANG=C'],
        Entrypoint: ['/opt/node/bin/node', '/emballage/start.mjs'],
        Labels: { base: 'yes' },
        StopSignal: 'SIGINT',
      },
    });
    const whole = JSON.parse(readFileSync(join(root, 'out/horn/horn.oci/index.json'), 'utf8')) as {
      manifests: { digest: string; mediaType: string }[];
    };
    const [top] = whole.manifests;
    const over = readFileSync(join(root, 'out/horn/horn.oci/blobs/sha256', top?.digest.slice(7) ?? ''));
    expect(sha256(over)).toBe(top?.digest.slice(7));
    validate(INDEX_SCHEMA, JSON.parse(over.toString()));
  });

  itWithRoot('unshare')(
    'runs from its unpacked layers, in a root of its own, with the runtime of this machine',
    () => {
      const root = imageProject(
        { base: { runtime: 'node' }, runtime: `node ${process.versions.node.split('.')[0] ?? ''}` },
        {
          'src/horn.mjs':
            "import { readdirSync, writeFileSync } from 'node:fs';\nexport async function sound({ data }, context) {\n  console.log('sounding');\n  let isReadOnly = false;\n  try { writeFileSync('/function/x', ''); } catch { isReadOnly = true; }\n  return { ...data, uid: process.getuid(), isReadOnly, above: readdirSync('/').includes('function'), name: context.name };\n}\n",
        },
      );
      expect(run(root, ['lock']).stderr).toBe('');
      built(root);
      // Where nobody else puts anything, and whoever the function runs as can look in.
      const TMPDIR = folderWith({});
      chmodSync(TMPDIR, 0o755);
      const outcome = run(root, ['try', 'horn', '--event', 'event.json', '--json'], { env: { TMPDIR } });
      const { calls } = JSON.parse(outcome.stdout) as {
        calls: { answer: { json?: string }; log: { lines: string[] } }[];
      };
      expect(JSON.parse(calls[0]?.answer.json ?? 'null')).toEqual({
        blasts: 3,
        uid: process.getuid?.() === 0 ? 65_534 : 0,
        isReadOnly: true,
        above: true,
        name: 'horn',
      });
      expect(calls[0]?.log.lines).toEqual(['sounding']);
      expect(readdirSync(TMPDIR)).toEqual([]);
      const check = run(root, ['check']);
      expect([check.status, check.stdout.includes('horn x86_64 for moorings: fit to go')]).toEqual([0, true]);
    },
    120_000,
  );

  itWithRoot('python3.11')(
    'runs Python too, and ends with its traceback when it fails',
    () => {
      const root = imageProject(
        { base: { runtime: 'python' }, runtime: 'python 3.11', entry: 'horn.py#sound' },
        {
          'src/horn.py':
            'import os\n\nasync def sound(event, context):\n    os.write(1, b"low\\n")\n    if event["data"]["blasts"] > 5:\n        raise ValueError("too loud")\n    return {"run": context.run, "deadline": context.deadline[-1]}\n',
          'loud.json': '{"blasts":9}',
        },
      );
      const locked = run(root, ['lock']);
      expect(locked.stderr).toBe('');
      built(root);
      const { calls } = JSON.parse(
        run(root, ['try', 'horn', '--event', 'event.json', '--event', 'loud.json', '--json']).stdout,
      ) as {
        calls: { answer: { kind: string; json?: string; failure?: unknown }; log: { lines: string[] } }[];
      };
      expect(calls[0]?.answer.json).toBe('{"run": "run-1", "deadline": "Z"}');
      expect(calls[1]?.answer).toEqual({ kind: 'failed', failure: { kind: 'exited', code: 1 } });
      expect(calls[1]?.log.lines.join('\n')).toContain('ValueError: too loud');
    },
    120_000,
  );

  itWith('javac')(
    'of the JVM is a folder of classes, those for its version in their place',
    () => {
      const root = imageProject(
        { base: { root: 'bases/root' }, runtime: 'java 17', entry: 'harbour.Horn#sound' },
        {
          'bases/root/opt/java/bin/java': 'elf',
          'src/harbour/Horn.java':
            'package harbour; public class Horn { public static String sound(String event) { return event; } }\n',
        },
      );
      rmSync(join(root, 'src/horn.mjs'));
      spawnSync('chmod', ['755', join(root, 'bases/root/opt/java/bin/java')]);
      expect(run(root, ['lock']).status).toBe(0);
      built(root);
      const { layers, config } = readBack(join(root, ARTIFACT));
      expect(layers.at(-1)).toEqual(expect.arrayContaining(['emballage/start.jar', 'function/harbour/Horn.class']));
      expect(JSON.stringify(config)).toContain('"emballage.host.Start","/emballage/start.json"');
      // What it says on standard output goes to its log; answers are lines.
      const folder = folderWith({});
      spawnSync('sh', [
        '-c',
        `for f in '${join(root, ARTIFACT)}'/blobs/sha256/*; do tar -xzf "$f" -C '${folder}' 2>/dev/null; done; true`,
      ]);
      const plan = join(folder, 'emballage/start.json');
      writeFileSync(plan, readFileSync(plan, 'utf8'));
      copyFileSync(join(folder, 'emballage/start.jar'), join(folder, 'start.jar'));
      const java = spawnSync('java', ['-cp', `${folder}/start.jar:${folder}/function`, 'emballage.host.Start', plan], {
        input: '{"a":1}\n\n{"b":2}\n',
        encoding: 'utf8',
      });
      expect([java.stdout, java.status]).toEqual(['"{\\"a\\":1}"\n"{\\"b\\":2}"\n', 0]);
    },
    120_000,
  );
});
