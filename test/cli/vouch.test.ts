import Ajv from 'ajv';
import { spawnSync } from 'node:child_process';
import { generateKeyPairSync } from 'node:crypto';
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { itWith } from '../support/needs';
import { lockEntry, nodeProject, packageLock, startRegistry } from '../support/npm';
import { BASE, claims, done, failing, keyPair, paperHarbour, textOf } from '../support/papers';
import { HORN, put, run } from '../support/program';
import { itWithReaders, pythonSays } from '../support/readers';

const KINDS = ['.cdx.json', '.spdx.json', '.provenance.json'];

describe('papers', () => {
  it('lie beside the artifact, hold, and are the same from every folder; a build of another artifact takes them away', () => {
    const [one, two] = [paperHarbour(), paperHarbour()];
    for (const root of [one, two]) {
      done(root, 'build');
      done(root, 'vouch');
    }
    for (const ending of KINDS) expect(textOf(one, ending)).toBe(textOf(two, ending));
    expect(failing(one, 'horn')).toEqual([]);
    expect(failing(one, `${BASE}.zip`)).toEqual([]);
    // What is unchanged keeps them.
    done(one, 'build');
    expect(existsSync(join(one, `${BASE}.cdx.json`))).toBe(true);
    put(one, { 'src/horn.mjs': `${HORN}// Louder.\n` });
    expect(run(one, ['vouch'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('from before a change') as unknown,
    });
    done(one, 'build');
    expect(readdirSync(join(one, 'out/horn/x86_64')).sort()).toEqual(['horn.waybill.json', 'horn.zip']);
    expect(run(one, ['vouch', '--verify', 'horn'])).toMatchObject({
      status: 1,
      stdout: expect.stringContaining('there are papers: none') as unknown,
    });
  });

  it('have the form that the published schemas want, and name everything', async () => {
    const registry = await startRegistry({
      'tides@1.2.0': {
        json: { license: 'MIT' },
        files: { 'index.js': "exports.read = require('buoys').mark;\n", 'README.md': 'tides' },
      },
      'buoys@0.4.0': { json: { license: 'Apache-2.0' }, files: { 'index.js': 'exports.mark = (x) => x;\n' } },
    });
    const root = nodeProject(
      { 'alert.mjs': "import { read } from 'tides';\nexport const decide = read;\n" },
      { trim: 'traced' },
    );
    const manifest = { dependencies: { tides: '1.2.0' } };
    put(root, {
      'src/package.json': JSON.stringify(manifest),
      'src/package-lock.json': packageLock(manifest, {
        'node_modules/tides': await lockEntry(registry, 'tides@1.2.0', { dependencies: { buoys: '0.4.0' } }),
        'node_modules/buoys': await lockEntry(registry, 'buoys@0.4.0'),
      }),
      '.npmrc': `registry=${registry.npm}\n`,
      'advisories/1.json': JSON.stringify({
        id: 'FHV-7',
        summary: 'A mark <b>is</b> read twice',
        database_specific: { severity: 'LOW' },
        affected: [{ package: { ecosystem: 'npm', name: 'buoys' }, versions: ['0.4.0'] }],
      }),
    });
    const sheet = JSON.parse(readFileSync(join(root, 'emballage.yaml'), 'utf8')) as { functions: { alert: object } };
    const accept = [
      { rule: 'deps/advisory', where: 'FHV-7 buoys', reason: 'marks are read once', until: '2099-01-31' },
    ];
    const functions = { alert: { ...sheet.functions.alert, accept } };
    put(root, { 'emballage.yaml': JSON.stringify({ ...sheet, functions, advisories: 'advisories' }) });
    for (const words of [['lock'], ['build'], ['vouch']]) done(root, ...words);
    const read = (ending: string): unknown =>
      JSON.parse(readFileSync(join(root, `out/alert/x86_64/alert${ending}`), 'utf8'));
    const ajv = new Ajv({ strict: false, validateFormats: false });
    for (const name of ['spdx', 'jsf-0.82']) ajv.addSchema(schema(name));
    const isBill = ajv.compile(schema('bom-1.6'));
    const bill = read('.cdx.json') as Bill;
    expect([isBill(bill), isBill.errors]).toEqual([true, null]);
    expect(
      bill.components
        .filter(({ purl }) => purl !== undefined)
        .map(({ purl, licenses, scope }) => [purl, licenses, scope]),
    ).toEqual([
      ['pkg:npm/buoys@0.4.0', [{ expression: 'Apache-2.0' }], 'required'],
      ['pkg:npm/tides@1.2.0', [{ expression: 'MIT' }], 'required'],
    ]);
    expect(bill.dependencies).toContainEqual({ ref: 'pkg:npm/tides@1.2.0', dependsOn: ['pkg:npm/buoys@0.4.0'] });
    const tides = bill.components.find(({ purl }) => purl === 'pkg:npm/tides@1.2.0');
    expect(tides?.components?.map(({ name, scope }) => [name, scope])).toContainEqual([
      'node_modules/tides/README.md',
      'excluded',
    ]);
    expect(bill.vulnerabilities).toMatchObject([
      { id: 'FHV-7', ratings: [{ severity: 'low' }], analysis: { state: 'exploitable', response: ['will_not_fix'] } },
    ]);
    const { predicate, subject } = read('.provenance.json') as Statement;
    const { artifact } = read('.waybill.json') as { artifact: { sha256: string } };
    expect(subject).toEqual([{ name: 'alert.zip', digest: { sha256: artifact.sha256 } }]);
    const names = predicate.buildDefinition.resolvedDependencies.map(({ name, uri }) => name ?? uri);
    expect(names).toEqual(
      expect.arrayContaining([
        'emballage.yaml',
        'slipway.yaml',
        'emballage.lock',
        'src/alert.mjs',
        'pkg:npm/tides@1.2.0',
      ]),
    );
    expect(JSON.stringify(predicate)).not.toContain(root);
  });

  it('name who built, and take part in shares', () => {
    const root = paperHarbour();
    done(root, 'build');
    done(root, 'vouch', '--builder', 'https://ci.fernhaven.harbour/gauges', '--part', '1/1');
    expect(textOf(root, '.provenance.json')).toContain('"id": "https://ci.fernhaven.harbour/gauges"');
    expect(run(root, ['vouch', '--builder', 'gauges'])).toMatchObject({ status: 2 });
    expect(run(root, ['vouch', '--sent'])).toMatchObject({ status: 2 });
  });
});

interface Bill {
  readonly components: readonly Component[];
  readonly dependencies: readonly object[];
  readonly vulnerabilities: readonly object[];
}
interface Component {
  readonly name: string;
  readonly purl?: string;
  readonly scope?: string;
  readonly licenses?: object;
  readonly components?: readonly Component[];
}
interface Statement {
  readonly subject: object;
  readonly predicate: {
    readonly buildDefinition: { readonly resolvedDependencies: { name?: string; uri?: string }[] };
  };
}

const schema = (name: string): object =>
  JSON.parse(readFileSync(join(__dirname, `../fixtures/cyclonedx/${name}.schema.json`), 'utf8')) as object;

describe('what others read', () => {
  const READ = `
import sys, json
from cyclonedx.model.bom import Bom
from spdx_tools.spdx.parser.parse_anything import parse_file
from spdx_tools.spdx.validation.document_validator import validate_full_spdx_document
base = sys.argv[1]
bom = Bom.from_json(json.load(open(base + '.cdx.json')))
document = parse_file(base + '.spdx.json')
faults = [one.validation_message for one in validate_full_spdx_document(document)]
print(json.dumps({'cdx': [one.name for one in bom.components], 'spdx': [one.name for one in document.files], 'faults': faults}))
`;
  itWithReaders('are the bills', () => {
    const root = paperHarbour();
    done(root, 'build');
    done(root, 'vouch');
    expect(pythonSays(READ, [join(root, BASE)])).toEqual({ cdx: ['horn.mjs'], spdx: ['./horn.mjs'], faults: [] });
  });

  itWith('openssl')('are the signatures of keys in PEM', () => {
    const root = paperHarbour();
    done(root, 'build');
    for (const kind of ['ed25519', 'ec'] as const) {
      put(root, keyPair(kind));
      done(root, 'vouch', '--key', 'key.pem');
      const { payload, payloadType, signatures } = JSON.parse(textOf(root, '.provenance.dsse.json')) as Envelope;
      const body = Buffer.from(payload, 'base64');
      const head = `DSSEv1 ${String(payloadType.length)} ${payloadType} ${String(body.length)} `;
      writeFileSync(join(root, 'pae'), Buffer.concat([Buffer.from(head), body]));
      writeFileSync(join(root, 'sig'), Buffer.from(signatures[0]?.sig ?? '', 'base64'));
      const args =
        kind === 'ec'
          ? ['dgst', '-sha256', '-verify', 'keys/pub.pem', '-signature', 'sig', 'pae']
          : ['pkeyutl', '-verify', '-pubin', '-inkey', 'keys/pub.pem', '-rawin', '-in', 'pae', '-sigfile', 'sig'];
      expect([kind, spawnSync('openssl', args, { cwd: root, encoding: 'utf8' }).status]).toEqual([kind, 0]);
    }
  });

  itWith('ssh-keygen')('are those of SSH keys, and theirs are read here', () => {
    const root = paperHarbour();
    done(root, 'build');
    for (const [kind, password] of [
      ['ed25519', ''],
      ['ecdsa', 'spring tide'],
    ] as const) {
      spawnSync('ssh-keygen', ['-q', '-t', kind, '-b', '256', '-N', password, '-f', join(root, kind)]);
      const env = { EMBALLAGE_KEY_PASSWORD: password };
      expect(run(root, ['vouch', '--key', kind], { env })).toMatchObject({ stderr: '', status: 0 });
      put(root, { allowed: `gauges ${readFileSync(join(root, `${kind}.pub`), 'utf8')}` });
      const signed = textOf(root, '.provenance.json');
      const verify = [
        '-Y',
        'verify',
        '-f',
        'allowed',
        '-I',
        'gauges',
        '-n',
        'papers@emballage',
        '-s',
        `${BASE}.provenance.sig`,
      ];
      expect(spawnSync('ssh-keygen', verify, { cwd: root, input: signed, encoding: 'utf8' })).toMatchObject({
        status: 0,
      });
      expect(failing(root, 'horn', '--key', `${kind}.pub`)).toEqual([]);
      if (password !== '') continue;
      const theirs = spawnSync('ssh-keygen', ['-Y', 'sign', '-f', kind, '-n', 'papers@emballage'], {
        cwd: root,
        input: signed,
        encoding: 'utf8',
      });
      put(root, { [`${BASE}.provenance.sig`]: theirs.stdout });
      expect(failing(root, 'horn', '--key', `${kind}.pub`)).toEqual([]);
      const other = spawnSync('ssh-keygen', ['-Y', 'sign', '-f', kind, '-n', 'file'], {
        cwd: root,
        input: signed,
        encoding: 'utf8',
      });
      put(root, { [`${BASE}.provenance.sig`]: other.stdout });
      expect(failing(root, 'horn', '--key', `${kind}.pub`)).toEqual([`${kind}.pub has signed it`]);
    }
  });
});

interface Envelope {
  readonly payload: string;
  readonly payloadType: string;
  readonly signatures: readonly { readonly sig: string }[];
}

describe('papers that were changed', () => {
  const signed = (): string => {
    const root = paperHarbour();
    done(root, 'build');
    done(root, 'vouch', '--key', 'key.pem');
    expect(failing(root, 'horn', '--key', 'keys/pub.pem')).toEqual([]);
    return root;
  };

  it.each([
    [
      'a bill edited by hand',
      '.cdx.json',
      (text: string) => text.replace('"horn.mjs"', '"horn2.mjs"'),
      [
        'the provenance names this bill of materials (CycloneDX 1.6)',
        'the bill of materials (CycloneDX 1.6) is of the artifact',
      ],
    ],
    [
      'a licence edited by hand',
      '.spdx.json',
      (text: string) => text.replace('NOASSERTION', 'MIT'),
      ['the provenance names this bill of materials (SPDX 2.3)'],
    ],
    [
      'a waybill edited by hand',
      '.waybill.json',
      (text: string) => text.replace('"trim": "safe"', '"trim": "off"'),
      ['the provenance names this waybill'],
    ],
    [
      'an envelope of another content',
      '.provenance.dsse.json',
      (text: string) => text.replace('in-toto', 'another'),
      ['the envelope holds this provenance', 'keys/pub.pem has signed it'],
    ],
    [
      'an envelope that is none',
      '.provenance.dsse.json',
      () => '{',
      ['the envelope holds this provenance', 'keys/pub.pem has signed it'],
    ],
    [
      'a statement that is none',
      '.provenance.json',
      () => '[]',
      [
        'the provenance is a statement of SLSA Provenance v1',
        'the envelope holds this provenance',
        'keys/pub.pem has signed it',
      ],
    ],
  ])('%s is told, claim by claim', (_, ending, change, expected) => {
    const root = signed();
    put(root, { [`${BASE}${ending}`]: change(textOf(root, ending)) });
    expect(failing(root, 'horn', '--key', 'keys/pub.pem')).toEqual(expected);
  });

  it('or are of another artifact, or signed by nobody who is known', () => {
    const root = signed();
    put(root, keyPair());
    expect(failing(root, 'horn', '--key', 'keys/pub.pem')).toEqual(['keys/pub.pem has signed it']);
    expect(claims(root, 'horn')['somebody who is known has signed it']).toBe('unknown');
    writeFileSync(join(root, `${BASE}.zip`), 'another');
    expect(failing(root, `${BASE}.zip`)).toContain('the provenance is of the artifact');
  });
});

describe('keys that cannot sign', () => {
  it.each([
    ['of a wrong password', keyPair('ec', 'spring tide'), 'neap tide', 'another one, which does not unlock it'],
    ['without their password', keyPair('ec', 'spring tide'), '', 'none given'],
    [
      'of another kind',
      {
        'key.pem': generateKeyPairSync('rsa', { modulusLength: 1024 })
          .privateKey.export({ type: 'pkcs8', format: 'pem' })
          .toString(),
      },
      '',
      'one of the kind rsa',
    ],
    ['that are public', { 'key.pem': keyPair()['keys/pub.pem'] }, '', 'a public key'],
    ['that are something else', { 'key.pem': 'high tide' }, '', 'something else'],
  ])('%s are told, and nothing is written', (_, files, password, found) => {
    const root = paperHarbour();
    put(root, files);
    done(root, 'build');
    const outcome = run(root, ['vouch', '--key', 'key.pem'], { env: { EMBALLAGE_KEY_PASSWORD: password } });
    expect(outcome).toMatchObject({ status: 2, stderr: expect.stringContaining(found) as unknown });
    expect(readdirSync(join(root, 'out/horn/x86_64'))).toHaveLength(2);
  });
});
