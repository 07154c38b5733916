import { gzipSync } from 'node:zlib';
import { ARM64, makeElf, X86_64 } from '../support/elf-bytes';
import { imageProject, layoutTar } from '../support/images';
import { findingsOf } from '../support/npm';
import { itWithPython } from '../support/python';
import { DESTINATION, folderWith, HORN, put, run } from '../support/program';
import { makeTar } from '../support/tar-bytes';
import { makeZip, type RawEntry } from '../support/zip-bytes';

interface Found {
  readonly level: string;
  readonly where?: string;
  readonly found: string;
  readonly mend: string;
}

interface Checked {
  readonly artifacts: readonly {
    readonly rules: readonly { readonly id: string; readonly findings: readonly Found[] }[];
  }[];
}

/** What check finds in an archive that something else made: `level rule where: found`, with what to do about it. */
function findings(file: string, entries: readonly RawEntry[], args: readonly string[]): readonly string[] {
  const root = folderWith({ [file]: makeZip(entries), 'slipway.yaml': DESTINATION });
  const { stdout, stderr } = run(root, ['check', file, '--at', 'slipway.yaml', '--json', ...args]);
  expect(stderr).toBe('');
  const { artifacts } = JSON.parse(stdout) as Checked;
  const rules = artifacts[0]?.rules ?? [];
  return rules
    .filter(({ id }) => !/^(?:runtime\/(?:unsupported|ended)|settings\/)/.test(id))
    .flatMap(({ id, findings: found }) =>
      found.map((one) => `${one.level} ${id} ${one.where ?? '-'}: ${one.found}; ${one.mend}`),
    );
}

const library = (machine: number): Buffer => makeElf({ machine, type: 3 });
const LEVEL: RawEntry = { name: 'level.py', data: 'def on_event(event, context):\n    return 1\n' };
const PYTHON = ['--runtime', 'python 3.11', '--entry', 'level.py#on_event', '--arch', 'x86_64'];
const NODE = ['--runtime', 'node 20', '--entry', 'horn.mjs#sound', '--arch', 'x86_64'];
const at = (name: string, data: string | Buffer): RawEntry => ({ name, data });
/** A module for Python 3.11 on x86_64, by its name. */
const WAVES = 'waves/_waves.cpython-311-x86_64-linux-gnu.so';

describe('an archive that something else made', () => {
  it.each<[string, readonly RawEntry[], readonly string[]]>([
    ['the right module', [LEVEL, at(WAVES, library(X86_64))], []],
    [
      'a module for another Python',
      [LEVEL, at(WAVES.replace('311', '39'), library(X86_64))],
      [
        'stop runtime/python-version waves/_waves.cpython-39-x86_64-linux-gnu.so: one that only Python 3.9 loads, by its name; pack the package for Python 3.11',
      ],
    ],
    ['a module for several', [LEVEL, at(WAVES, library(X86_64)), at(WAVES.replace('311', '39'), library(X86_64))], []],
    [
      'a module whose name says another processor',
      [LEVEL, at(WAVES.replace('x86_64', 'aarch64'), library(X86_64))],
      [
        'stop arch/native-file waves/_waves.cpython-311-aarch64-linux-gnu.so: one whose name says `aarch64-linux-gnu`; pack the file for this architecture',
      ],
    ],
    [
      'a module that is for another processor',
      [LEVEL, at('waves/_waves.abi3.so', library(ARM64))],
      ['stop arch/native-file waves/_waves.abi3.so: one for arm64; pack the file for this architecture'],
    ],
    [
      'what is imported and nowhere',
      [at('level.py', 'import waves\ndef on_event(event, context):\n    return 1\n')],
      ['stop deps/missing level.py:1: none in the artifact, the standard library or the runtime; pack its package'],
    ],
    [
      'tests, and what only they use',
      [
        LEVEL,
        at('tests/test_level.py', 'import level\n'),
        at('pytest-8.0.dist-info/METADATA', 'Metadata-Version: 2.1\nName: pytest\nVersion: 8.0\nLicense: 0BSD\n'),
      ],
      [
        'warn deps/test-scope pytest: pytest 8.0; leave it out',
        'warn deps/test-scope tests/: 1 file of tests; write `leave-out: ["/tests"]`',
      ],
    ],
    [
      'tests whose helpers the function uses',
      [
        at('level.py', 'from tests.data import a\ndef on_event(event, context):\n    return a\n'),
        at('tests/data.py', 'a = 1\n'),
        at('tests/test_level.py', ''),
      ],
      [],
    ],
    [
      'a web application that is to be called with events',
      [at('level.py', 'from flask import Flask\non_event = Flask(__name__)\n'), at('flask.py', 'class Flask: pass\n')],
      [
        'stop entry/parameters level.py: a web application: it comes from flask; write `adapter: wsgi` beside its `entry` in the sheet',
      ],
    ],
    [
      'a function of a web server',
      [at('level.py', 'async def on_event(scope, receive, send):\n    pass\n')],
      [
        'stop entry/parameters level.py: a web application: takes `scope`, `receive` and `send`; write `adapter: asgi` beside its `entry` in the sheet',
      ],
    ],
    [
      'last week’s build as another archive',
      [LEVEL, at('old/build.tar.gz', gzipSync(makeTar([{ name: './level.py', data: 'x' }])))],
      [
        'stop layout/stale-artifact old/build.tar.gz: an archive with the same files, `level.py` among them; delete it from the source folder, or write `leave-out: ["/old/build.tar.gz"]`',
      ],
    ],
    ['an archive of data', [LEVEL, at('data.tar.gz', gzipSync(makeTar([{ name: 'tides.csv', data: 'x' }])))], []],
  ])('is told of %s (Python)', (_name, entries, expected) => {
    expect(findings('a.zip', entries, PYTHON)).toEqual(expected);
  });

  it.each<[string, readonly RawEntry[], readonly string[]]>([
    [
      'a test library and tests',
      [
        at('horn.mjs', HORN),
        at('horn.test.mjs', HORN),
        at('node_modules/mocha/package.json', '{}'),
        at('node_modules/mocha/index.js', ''),
      ],
      [
        'warn deps/test-scope mocha: 2 files of it; leave it out',
        'warn deps/test-scope horn.test.mjs: one that nothing loads; name them under `leave-out`',
      ],
    ],
    [
      'a web application that is to be called with events',
      [
        at('horn.mjs', "import express from 'express';\nexport const sound = express();\n"),
        at('node_modules/express/index.js', ''),
        at('node_modules/express/package.json', '{}'),
      ],
      [
        'stop entry/parameters horn.mjs: a web application: a package of web applications makes it; write `adapter: http` beside its `entry` in the sheet',
      ],
    ],
    [
      'what may be one',
      [at('horn.mjs', 'export function sound(req, res) { res.end(); }\n')],
      [
        'warn entry/parameters horn.mjs: a web application: it takes `req` and `res`; write `adapter: http` beside its `entry` in the sheet',
      ],
    ],
    [
      'a package that is nowhere',
      [at('horn.mjs', `import 'levels';\n${HORN}`)],
      ['stop deps/missing horn.mjs:1: none; pack the package, in a folder `node_modules` beside or above'],
    ],
  ])('is told of %s (Node.js)', (_name, entries, expected) => {
    expect(findings('a.zip', entries, NODE)).toEqual(expected);
  });

  it('is a JAR, whose libraries may be for several processors, but not for all others only', () => {
    const jar = (...machines: readonly number[]): readonly string[] =>
      findings(
        'a.jar',
        machines.map((one, i) => at(`org/waves/${String(i)}/libwaves.so`, library(one))),
        ['--arch', 'x86_64'],
      );
    expect(jar(ARM64, X86_64)).toEqual([
      'warn arch/native-file org/waves/0/libwaves.so: one for arm64; pack the file for this architecture',
    ]);
    expect(jar(ARM64)).toEqual([
      'stop arch/native-file org/waves/0/libwaves.so: one for arm64, and no library for x86_64 in the JAR; pack the file for this architecture',
    ]);
  });
});

describe('an image', () => {
  const MOORINGS =
    'destination: moorings\narch: [x86_64]\naccepts: { image: { packed: 256 MiB, layer: 128 MiB, layers: 8 }, zip: { packed: 1 MiB } }\nruntimes: { python 3.11: {} }\n';

  it.each<[string, string, readonly string[], string | undefined]>([
    ['a script', '#!/bin/sh\nexec true\n', ['/app/start.sh'], undefined],
    [
      'DOS line ends',
      '#!/bin/sh\r\nexec true\r\n',
      ['/app/start.sh'],
      'one with line ends of DOS, which belong to the name of its interpreter',
    ],
    [
      'DOS line ends, by a shell',
      'exec true\r\n',
      ['/bin/sh', 'start.sh'],
      'one with line ends of DOS, which the shell takes for a part of each line',
    ],
    [
      'an interpreter that is missing',
      '#!/usr/bin/env python3\n',
      ['/app/start.sh'],
      'one for `python3`, which is not there',
    ],
  ])('that is started by %s', (_name, script, command, expected) => {
    const program = (name: string) => ({ name, data: makeElf({ machine: X86_64, type: 2 }), mode: 0o755 });
    const image = {
      layers: [[program('bin/sh'), program('usr/bin/env'), { name: 'app/start.sh', data: script, mode: 0o755 }]],
      config: { Entrypoint: [...command], WorkingDir: '/app', User: '1000', Env: ['PATH=/usr/bin'] },
    };
    const root = folderWith({ 'image.oci.tar': layoutTar([image]), 'moorings.yaml': MOORINGS });
    const { stdout } = run(root, ['check', 'image.oci.tar', '--at', './moorings.yaml', '--json']);
    const { artifacts } = JSON.parse(stdout) as Checked;
    const rule = artifacts[0]?.rules.find(({ id }) => id === 'image/entry-missing');
    expect(rule?.findings[0]?.found).toEqual(expected);
  });

  itWithPython('is seen as its archive is, and lacks no library that its files need', () => {
    const code = 'import os\ndef on_event(event, context):\n    return os.environ["PEIR"]\n';
    const keys = {
      runtime: 'python 3.11',
      entry: 'level.py#on_event',
      base: { runtime: 'python' },
      settings: { PIER: { sample: '3' } },
    };
    const root = imageProject(MOORINGS, keys, { 'src/level.py': code });
    put(root, {
      'src/_far.so': makeElf({ machine: X86_64, type: 3, needed: ['libc.so.6', 'libpthread.so.0', 'libstdc++.so.6'] }),
      'src/_off.so': makeElf({ machine: X86_64, type: 3, needed: ['libwave.so.1'] }),
    });
    for (const command of ['lock', 'build']) expect(run(root, [command])).toMatchObject({ stderr: '', status: 0 });
    expect(findingsOf(root)).toEqual([
      'stop runtime/library _off.so',
      'stop settings/undeclared level.py:3',
      'note settings/unread PIER',
    ]);
  });
});
