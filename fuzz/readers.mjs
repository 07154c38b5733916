// The readers of what comes from outside: for each, what it is started from, and how it is called. A reader may refuse its input
// with an error of the house or of a format, and with nothing else.
import { createRequire } from 'node:module';
import { deflateRawSync } from 'node:zlib';

const require = createRequire(import.meta.url);
const core = (path) => require(`../dist/core/${path}.js`);
const text = (read) => (bytes) => read(Buffer.from(bytes).toString('utf8'));
const all = (found) => [...found];
const formats = (name) => core(`formats/${name}/index`);
const of = (language, path) => core(`languages/${language}/${path}`);
const source = (bytes) => core('formats/byte-source').sourceOfBytes(bytes);

const POM =
  '<project><parent><groupId>a</groupId><artifactId>p</artifactId><version>1</version></parent><artifactId>b</artifactId><properties><v>1.0</v></properties><dependencies><dependency><groupId>g</groupId><artifactId>a</artifactId><version>[1,2)</version><exclusions><exclusion><groupId>*</groupId><artifactId>*</artifactId></exclusion></exclusions></dependency></dependencies></project>';
const NUSPEC =
  '<package><metadata><id>A</id><version>1.0</version><dependencies><group targetFramework="net8.0"><dependency id="B" version="[1,2)"/></group></dependencies></metadata></package>';
const PROJECT =
  '<Project Sdk="x"><PropertyGroup><TargetFramework>net8.0</TargetFramework></PropertyGroup><ItemGroup Condition="\'$(TargetFramework)\' == \'net8.0\'"><PackageReference Include="A" Version="1.0"/><ProjectReference Include="..\\b\\b.csproj"/></ItemGroup></Project>';
const DEPS =
  '{"runtimeTarget":{"name":".NETCoreApp,Version=v8.0/linux-x64"},"targets":{".NETCoreApp,Version=v8.0/linux-x64":{"A/1.0":{"runtime":{"lib/net8.0/A.dll":{}},"runtimeTargets":{"runtimes/win/native/a.dll":{"rid":"win"}}}}},"libraries":{"A/1.0":{"type":"package"}}}';
const NPM_LOCK =
  '{"name":"a","lockfileVersion":3,"packages":{"":{"dependencies":{"b":"^1"}},"node_modules/b":{"version":"1.0.0","resolved":"https://r.example/b.tgz","integrity":"sha512-AA==","dependencies":{"c":"*"}}}}';
const YARN =
  '# yarn lockfile v1\n\n"b@^1", b@^1.2:\n  version "1.0.0"\n  resolved "https://r.example/b.tgz#abc"\n  integrity sha512-AA==\n  dependencies:\n    c "*"\n';
const PNPM =
  "lockfileVersion: '9.0'\nimporters:\n  .:\n    dependencies:\n      b:\n        specifier: ^1\n        version: 1.0.0\npackages:\n  b@1.0.0:\n    resolution: {integrity: sha512-AA==}\nsnapshots:\n  b@1.0.0:\n    dependencies:\n      c: 1.0.0\n";
const OSV =
  '{"id":"A-1","modified":"2026-01-01T00:00:00Z","affected":[{"package":{"ecosystem":"PyPI","name":"a"},"ranges":[{"type":"ECOSYSTEM","events":[{"introduced":"0"},{"fixed":"1.2"}]}],"versions":["1.0"]}]}';
const PAGE = '<!DOCTYPE html><a href="../a-1.0-py3-none-any.whl#sha256=aa" data-requires-python="&gt;=3.8">a</a>';
const SHEET =
  'project: a\ndestinations: { d: d.yaml }\nfunctions:\n  f: { source: s, runtime: node 20, entry: a.mjs#b, artifact: zip, trim: &t { traced: strict }, destination: d }\n';
const PYTHON =
  'import a.b as c\nfrom . import d\n\ntry:\n    import e\nexcept ImportError:\n    e = None\n\n\ndef f(x, *, y=1):\n    return __import__("g" + x)\n';
const CODE =
  "import a, { b as c } from './a.mjs';\nexport * from 'd';\nconst e = require('f' + g);\nexport default async (x, { y } = {}) => import(`./${x}.mjs`) ?? process.env.Z;\n";

/** Makes a small zip archive with one deflated entry. */
function zipOf(name, data) {
  const { ZipWriter, DOS_FLOOR } = formats('zip');
  const parts = [];
  const sink = { append: (bytes) => parts.push(Buffer.from(bytes)), hold() {}, patch() {}, release() {} };
  const writer = new ZipWriter(sink, DOS_FLOOR);
  const packed = deflateRawSync(data);
  const { crc32 } = require('node:zlib');
  const member = { path: name, kind: 'file', mode: 0o644 };
  writer.add(member, { method: 8, crc32: crc32(data), uncompressedSize: data.length, data: packed });
  writer.finish();
  return Buffer.concat(parts);
}

function tarOf(name, data) {
  const head = Buffer.alloc(512);
  head.write(name);
  head.write('0000644\0', 100);
  head.write(`${data.length.toString(8).padStart(11, '0')}\0`, 124);
  head.write('        ', 148);
  head.write('0ustar\x0000', 156);
  head.write(
    `${[...head]
      .reduce((sum, byte) => sum + byte, 0)
      .toString(8)
      .padStart(6, '0')}\0 `,
    148,
  );
  return Buffer.concat([head, data, Buffer.alloc((512 - (data.length % 512)) % 512), Buffer.alloc(1024)]);
}

function zip(bytes) {
  const { openZip, readEntry } = formats('zip');
  const from = source(bytes);
  const { entries, faults } = openZip(from, 'a.zip', { entries: 1000, unpackedBytes: 1 << 24 });
  if (faults.length === 0) for (const entry of entries) if (entry.kind === 'file') readEntry(from, entry, 1 << 20);
}

function assembly(bytes) {
  const read = formats('assembly').readAssembly(bytes);
  for (const { methods } of read?.types() ?? []) methods();
  read?.calls();
  read?.texts();
}

function elf(bytes) {
  const { readElfOrFault, readProperties, debugBytes, stripElf } = formats('elf');
  const read = readElfOrFault(bytes);
  if ('fault' in read) return;
  readProperties(bytes);
  debugBytes(bytes);
  stripElf(bytes, 'all');
}

/** `seeds` are files of the repository, or texts; files of the machine count where they are there. */
export const READERS = {
  zip: { seeds: [() => zipOf('a.txt', Buffer.from('level '.repeat(50)))], read: zip },
  tar: {
    seeds: [() => tarOf('a.txt', Buffer.from('level '.repeat(50)))],
    read: (bytes) => all(formats('tar').readTar(bytes, 'a.tar')),
  },
  ar: {
    seeds: ['!<arch>\na.o/            0           0     0     644     4         `\nabcd'],
    read: (bytes) => all(formats('native').arMembers(source(bytes))),
  },
  elf: {
    seeds: ['/bin/true', '/usr/lib/x86_64-linux-gnu/libutil.so.1', '/lib/aarch64-linux-gnu/libutil.so.1'],
    read: elf,
  },
  native: {
    seeds: ['test/fixtures/dotnet/dues.dll', '/bin/true', '\0asm\x01\0\0\0\x01\x04\x01\x60\0\0'],
    read: (bytes) => {
      formats('native').readNative(bytes);
      formats('native').peOutline(source(bytes));
    },
  },
  assembly: { seeds: ['test/fixtures/dotnet/dues.dll'], read: assembly },
  bundle: {
    seeds: [
      () =>
        Buffer.concat([
          Buffer.alloc(8, 1),
          require('node:crypto').createHash('sha256').update('.net core bundle\n').digest(),
          Buffer.alloc(99, 1),
        ]),
    ],
    read: (bytes) => (formats('assembly').readBundle(bytes) ?? []).forEach((one) => one.read()),
  },
  symbols: {
    seeds: [() => Buffer.from('BSJB\x01\0\x01\0\0\0\0\0\x04\0\0\0v1\0\0\0\0\x01\0\x20\0\0\0\x14\0\0\0#Pdb\0\0\0\0')],
    read: (bytes) => formats('assembly').symbolsId(bytes),
  },
  class: {
    seeds: ['test/fixtures/jvm/*.class', 'src/core/languages/jvm/run/runner.jar:class'],
    read: (bytes) => {
      const read = formats('classfile').readClass(bytes);
      of('jvm', 'shade/class-facts').classFacts(read);
    },
  },
  xml: { seeds: [POM, NUSPEC], read: text((one) => core('formats/xml').readXml(one)) },
  licence: {
    seeds: ['(MIT OR Apache-2.0) AND BSD-3-Clause WITH x', 'GPL-2.0+'],
    read: text((one) => core('formats/licence-expression').readExpression(one)),
  },
  pom: { seeds: [POM], read: text((one) => of('jvm', 'maven/index').readPom(one, 'pom.xml')) },
  'maven-version': {
    seeds: ['1.0-alpha-1', '[1,2)', '1.constructor'],
    read: text((one) => {
      const { compareVersions, parseWish } = of('jvm', 'maven/index');
      compareVersions(one, '1');
      parseWish(one);
    }),
  },
  nuspec: { seeds: [NUSPEC], read: text((one) => of('dotnet', 'packages/nuspec').readNuspec(one, 'a.nuspec')) },
  'project-file': {
    seeds: [PROJECT],
    read: text((one) =>
      of('dotnet', 'packages/project-file').readProjectFile('a.csproj', {
        read: () => one,
        isThere: () => false,
        framework: 'net8.0',
      }),
    ),
  },
  deps: {
    seeds: [DEPS],
    read: text((one) => {
      const { readDepsFile, withoutAssets } = of('dotnet', 'published/deps-file');
      readDepsFile(one, 'd');
      withoutAssets(one, 'd', (file) => file.includes('a'));
    }),
  },
  'runtime-config': {
    seeds: ['{"runtimeOptions":{"framework":{"name":"A","version":"8.0.0"},"rollForward":"Major"}}'],
    read: text((one) => of('dotnet', 'published/runtime-config').readRuntimeConfig(one)),
  },
  'nuget-lock': {
    seeds: [
      '{"version":1,"dependencies":{"net8.0":{"A":{"type":"Direct","requested":"[1, )","resolved":"1.0.0","contentHash":"x"}}}}',
    ],
    read: text((one) =>
      of('dotnet', 'packages/lock-file').readLockFile(one, 'l', 'f', { arch: 'x86_64', libc: 'glibc', version: 8 }),
    ),
  },
  'nuget-version': {
    seeds: ['1.2.3.4-rc.1+b', '[1.0,2.0)', '(,1]'],
    read: text((one) => {
      of('dotnet', 'packages/version').parseVersion(one);
      of('dotnet', 'packages/version').parseRange(one);
      of('dotnet', 'packages/frameworks').parseFramework(one);
    }),
  },
  nupkg: {
    seeds: [() => zipOf('A.nuspec', Buffer.from(NUSPEC))],
    read: (bytes) => of('dotnet', 'packages/package-file').nuspecIn(bytes, 'a.nupkg'),
  },
  'content-hash': {
    seeds: [() => zipOf('.signature.p7s', Buffer.from('signed'))],
    read: (bytes) => of('dotnet', 'packages/content-hash').contentHash(Buffer.from(bytes)),
  },
  requirement: {
    seeds: ['a[b,c]>=1.0,<2; python_version>="3.8" and (os_name=="x" or extra=="y")', 'a @ https://x.example/a.whl'],
    read: text((one) => of('python', 'versions/requirement').parseRequirement(one)),
  },
  'python-version': {
    seeds: ['1!2.0rc1.post2.dev3+local.1'],
    read: text((one) => of('python', 'versions/version').parseVersion(one)),
  },
  requirements: {
    seeds: ['a==1 \\\n  --hash=sha256:aa # note\n-r b.txt\n--index-url https://x.example\n-c c.txt\n'],
    read: text((one) =>
      of('python', 'locks/requirements-txt').readRequirementsFile({
        path: 'r.txt',
        read: (path) => (path === 'r.txt' ? one : ''),
        shown: (path) => path,
      }),
    ),
  },
  pyproject: {
    seeds: [
      '[project]\nname = "a"\ndependencies = ["b>=1"]\n[project.optional-dependencies]\nx = ["c"]\n[dependency-groups]\ny = [{include-group = "z"}]\n',
    ],
    read: text((one) =>
      of('python', 'locks/pyproject').readPyproject({ text: one, path: 'p', shown: 'p', groups: ['x'] }),
    ),
  },
  pylock: {
    seeds: [
      'lock-version = "1.0"\ncreated-by = "x"\n[[packages]]\nname = "a"\nversion = "1"\nmarker = "os_name == \'a\'"\nwheels = [{url = "https://x.example/a-1-py3-none-any.whl", name = "a-1-py3-none-any.whl", size = 3, hashes = {sha256 = "aa"}}]\n',
    ],
    read: text((one) =>
      of('python', 'locks/pylock').readPylock(
        one,
        'p',
        of('python', 'versions/environment').environmentOf?.({ python: '3.11' }) ?? {},
      ),
    ),
  },
  'cargo-lock': {
    seeds: [
      'version = 3\n[[package]]\nname = "a"\nversion = "1.0.0"\nsource = "registry+https://x.example"\nchecksum = "aa"\ndependencies = ["b 1.0 (registry+x)", "c"]\n[[package]]\nname = "b"\nversion = "1.0"\n[metadata]\n"checksum a 1" = "aa"\n',
    ],
    read: text((one) => of('rust', 'locks/cargo-lock').readCargoLock(one, 'Cargo.lock')),
  },
  record: {
    seeds: ['a/b.py,sha256=AA,3\n"a ""q"".py",,\n'],
    read: text((one) => of('python', 'wheel/record').readRecord(one)),
  },
  headers: {
    seeds: ['Metadata-Version: 2.1\nName: a\nRequires-Dist: b (>=1)\n continued\n\nbody'],
    read: text((one) => of('python', 'wheel/metadata').readHeaders(one)),
  },
  'index-page': {
    seeds: [
      PAGE,
      '{"meta":{"api-version":"1.1"},"files":[{"filename":"a.whl","url":"a.whl","hashes":{"sha256":"aa"},"size":3}]}',
    ],
    read: (bytes) => {
      const { readPage } = of('python', 'sources/index-pages');
      const page = { bytes: Buffer.from(bytes), url: 'https://x.example/simple/a/' };
      for (const contentType of ['text/html', 'application/vnd.pypi.simple.v1+json'])
        try {
          readPage({ ...page, contentType }, 'asking');
        } catch (error) {
          if (error?.constructor?.name !== 'EmballageError') throw error;
        }
    },
  },
  'python-module': { seeds: [PYTHON], read: text((one) => of('python', 'trace/module-facts').readModuleFacts(one)) },
  'node-module': { seeds: [CODE], read: text((one) => of('node', 'trace/read-module').readModuleFacts(one, 'module')) },
  'package-lock': {
    seeds: [NPM_LOCK],
    read: text((one) => of('node', 'packages/package-lock').readPackageLock(one, 'package-lock.json')),
  },
  'yarn-lock': { seeds: [YARN], read: text((one) => of('node', 'packages/yarn-text').readYarnText(one, 'yarn.lock')) },
  'pnpm-lock': {
    seeds: [PNPM],
    read: text((one) => of('node', 'packages/yaml-lock').readYamlLock(one, 'pnpm-lock.yaml')),
  },
  'go-sum': {
    seeds: ['a.example/b v1.0.0 h1:AA=\na.example/b v1.0.0/go.mod h1:BB=\n'],
    read: text((one) => of('go', 'go-sum').readGoSum(one, 'go.sum')),
  },
  osv: { seeds: [OSV], read: text((one) => core('formats/osv').readOsv?.(JSON.parse(one))) },
  manifest: {
    seeds: [
      '{"schemaVersion":2,"mediaType":"application/vnd.oci.image.manifest.v1+json","config":{"mediaType":"a","digest":"sha256:aa","size":1},"layers":[]}',
    ],
    read: (bytes) => core('formats/oci/documents').readManifest(bytes, 'm'),
  },
  reference: {
    seeds: ['harbour.example:5000/a/b:c@sha256:aa'],
    read: text((one) => core('formats/oci/reference').parseReference(one)),
  },
  sheet: { seeds: [SHEET], read: text((one) => core('sheet/text/yaml').readYaml(one, 's.yaml')) },
  json: { seeds: ['{"a":[1,2.5e3,"x\\u0041",null]}'], read: text((one) => core('events/exact-json').parseExact(one)) },
  netrc: {
    seeds: ['machine a.example login b password c\ndefault login d password e\nmacdef x\n y\n\n'],
    read: text((one) => core('toolchains/credentials').readNetrc(one)),
  },
  envelope: {
    seeds: ['{"payloadType":"a","payload":"e30=","signatures":[{"keyid":"b","sig":"AA=="}]}'],
    read: text((one) => formats('signing').readEnvelope(one)),
  },
  symbol: {
    seeds: ['_ZN3abc3defE', '_RNvC1a1b', '_ZN4core3fmt9Formatter3pad17h0123456789abcdefE'],
    read: text((one) => formats('native').readSymbolName(one)),
  },
};
