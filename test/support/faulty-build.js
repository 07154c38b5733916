// A build with deliberate faults: puts a project's source into zip archives as a build would, and lets something of its
// surroundings show in each. Called as the program is: build NAME… --sheet FILE --json [--jobs N]; a name is that of a fault.
'use strict';
const { createHash, randomUUID } = require('node:crypto');
const fs = require('node:fs');
const os = require('node:os');
const { dirname, join } = require('node:path');
const zlib = require('node:zlib');

const args = process.argv.slice(2);
const after = (word) => args[args.indexOf(word) + 1];
const root = dirname(after('--sheet'));
const jobs = args.includes('--jobs') ? after('--jobs') : 'all';
const caches = process.env.XDG_CACHE_HOME ?? '';
const source = join(root, 'src');
const now = new Date();
const names = () => fs.readdirSync(source);
const text = (path, content) => ({ path, mode: 0o644, time: 0x21, bytes: Buffer.from(content) });
const few = () => names().filter((name) => !/m(?!10)/.test(name));
const count = () => {
  const path = join(root, '.builds');
  const before = fs.existsSync(path) ? Number(fs.readFileSync(path, 'utf8')) : 0;
  fs.writeFileSync(path, String(before + 1));
  return before + 1;
};
const made = (mode) => {
  const path = join(root, `.made-${String(process.pid)}`);
  fs.writeFileSync(path, '', { mode });
  const stat = fs.statSync(path);
  fs.rmSync(path);
  return stat;
};

/** Each gives entries that are added, or changes those that are there. */
const FAULTS = {
  'date in a generated file': () => [text('stamp.txt', `built on ${now.toISOString().slice(0, 10)}\n`)],
  'milliseconds in a generated file': () => [text('stamp.txt', `built at ${now.toISOString()}\n`)],
  'date in json': () => [text('about.json', JSON.stringify({ name: 'horn', built: now.toISOString().slice(0, 10) }))],
  'year of the copyright': () => [text('notice.txt', `Fernhaven ${String(now.getUTCFullYear())}-01-01\n`)],
  'time stamps of entries from the clock': (all) =>
    all.map((one) => ({ ...one, time: ((now.getUTCFullYear() - 1980) << 9) | 0x21 })),
  'time stamps of entries from files': (all) =>
    all.map((one) => ({
      ...one,
      time: ((fs.statSync(join(source, one.path)).mtime.getUTCFullYear() - 1980) << 9) | 0x21,
    })),
  'gzip header with the time': () => {
    const bytes = zlib.gzipSync('tides');
    bytes.writeUInt32LE(Math.floor(now.getTime() / 1000), 4);
    return [{ ...text('tides.gz', ''), bytes }];
  },
  'package built from source with a time stamp': () => [
    text('levels-1.0.dist-info/METADATA', `Name: levels\nBuilt: ${now.toISOString()}\n`),
  ],
  'unordered list of files': () => [text('list.txt', few().join('\n'))],
  'entries as folders list them': () => few().map((name) => text(`lib/${name}`, name)),
  'order of creation': () => {
    const [a, z] = ['a.txt', 'z.txt'].map((name) => fs.statSync(join(source, name), { bigint: true }).birthtimeNs);
    return [text('order.txt', a <= z ? 'a.txt\nz.txt\n' : 'z.txt\na.txt\n')];
  },
  'folder in a string': () => [text('paths.txt', `source ${source}\n`)],
  'folder in binary': () => [
    { ...text('run', ''), bytes: Buffer.concat([Buffer.from([0, 1, 2]), Buffer.from(root), Buffer.from([0, 255])]) },
  ],
  'folder with spaces quoted': () => [text('paths.txt', / /.test(root) ? 'quoted\n' : 'plain\n')],
  'random build id': () => [text('id.txt', randomUUID())],
  'random number': () => [text('id.txt', String(Math.random()))],
  'number of the process': () => [text('id.txt', `worker ${String(process.pid)}`)],
  'mode of sources': (all) => all.map((one) => ({ ...one, mode: fs.statSync(join(source, one.path)).mode & 0o777 })),
  'mode by the umask': () => [{ ...text('made.txt', ''), mode: made(0o666).mode & 0o777 }],
  'sorted by locale': () => [text('sorted.txt', ['i', 'ı', 'h'].sort(new Intl.Collator().compare).join('\n'))],
  'capitals by locale': () => [
    text('word.txt', 'tide inlet'.toLocaleUpperCase(Intl.DateTimeFormat().resolvedOptions().locale)),
  ],
  'number by locale': () => [text('level.txt', (4711.5).toLocaleString())],
  'time of day in the zone': () => [
    text(
      'zone.txt',
      `${String(new Date(0).getHours()).padStart(2, '0')}:${String(new Date(0).getMinutes()).padStart(2, '0')}:00`,
    ),
  ],
  'name of the user': () => [text('by.txt', `by ${process.env.USER ?? 'nobody'}`)],
  'number of the user': () => [
    { ...text('owner.txt', ''), bytes: Buffer.from(`uid ${String(process.getuid())} gid ${String(process.getgid())}`) },
  ],
  'owner of made files': () => [text('owner.txt', `made by ${String(made(0o644).uid)}`)],
  'home in a setting': () => [text('settings.txt', `cache=${process.env.HOME ?? ''}/cache`)],
  'name of the machine': () => [text('by.txt', `on ${os.hostname()}`)],
  'flags from the environment': () => [text('flags.txt', `flags ${process.env.CFLAGS ?? 'none'}`)],
  'hash seed from the environment': () => [text('set.txt', process.env.HASH_SEED === undefined ? 'a b c' : 'c a b')],
  'number of processors': () => [text('workers.txt', `workers ${String(os.availableParallelism())}`)],
  'number of jobs': () => [text('parts.txt', `parts ${jobs}`)],
  'what is in the cache': () => [text('cache.txt', fs.existsSync(join(caches, 'emballage/mark')) ? 'warm' : 'fresh')],
  'what an earlier build left': () => [text('count.txt', `build ${String(count())}`)],
  'version of the runtime': () => [text('engine.txt', `engine ${process.env.OTHER_ENGINE ?? process.version}`)],
  'temporary folder': () => [text('tmp.txt', `made in ${os.tmpdir()}/x`)],
  'kind of file system': () => [text('disk.txt', `blocks ${String(fs.statfsSync(root).type)}`)],
  'networks that are there': () => [text('net.txt', `nets ${Object.keys(os.networkInterfaces()).join(' ') || 'none'}`)],
  'zone with the umask': () => [
    text('both.txt', process.env.TZ === 'Pacific/Chatham' && process.umask() === 0o077 ? 'both' : 'not'),
  ],
  'only the waybill': () => [],
  'nothing at all': () => [],
  'what was spoiled': () => [],
};

/** A zip archive without compression: local headers, then the directory. */
function zip(entries) {
  const [files, directory] = [[], []];
  let at = 0;
  for (const { path, mode, time, bytes } of entries) {
    const name = Buffer.from(path);
    const head = Buffer.alloc(26);
    head.writeUInt16LE(20, 0);
    head.writeUInt16LE(time, 8);
    head.writeUInt32LE(crc(bytes), 10);
    head.writeUInt32LE(bytes.length, 14);
    head.writeUInt32LE(bytes.length, 18);
    head.writeUInt16LE(name.length, 22);
    const tail = Buffer.alloc(14);
    tail.writeUInt32LE(((0o100000 | mode) << 16) >>> 0, 6);
    tail.writeUInt32LE(at, 10);
    const local = Buffer.concat([Buffer.from('PK\x03\x04'), head, name, bytes]);
    directory.push(Buffer.concat([Buffer.from('PK\x01\x02\x14\x03', 'latin1'), head, tail, name]));
    files.push(local);
    at += local.length;
  }
  const list = Buffer.concat(directory);
  const end = Buffer.alloc(22);
  end.write('PK\x05\x06', 0, 'latin1');
  end.writeUInt16LE(entries.length, 8);
  end.writeUInt16LE(entries.length, 10);
  end.writeUInt32LE(list.length, 12);
  end.writeUInt32LE(at, 16);
  return Buffer.concat([...files, list, end]);
}

function crc(bytes) {
  let value = ~0;
  for (const byte of bytes) {
    value ^= byte;
    for (let bit = 0; bit < 8; bit += 1) value = (value >>> 1) ^ (value & 1 ? 0xedb88320 : 0);
  }
  return ~value >>> 0;
}

const plain = ['a.txt', 'm100.txt', 'z.txt'].map((path) => text(path, fs.readFileSync(join(source, path))));
for (const name of args.slice(1, args.indexOf('--sheet'))) {
  const more = FAULTS[name.replaceAll('-', ' ')](plain);
  const entries = more.some(({ path }) => plain.some((one) => one.path === path)) ? more : [...plain, ...more];
  const folder = join(root, `out/${name}/arm64`);
  fs.mkdirSync(folder, { recursive: true });
  const artifact = zip(entries);
  fs.writeFileSync(join(folder, `${name}.zip`), artifact);
  const about = { sha256: createHash('sha256').update(artifact).digest('hex') };
  if (name === 'only-the-waybill') about.made = now.toISOString().slice(0, 10);
  fs.writeFileSync(join(folder, `${name}.waybill.json`), JSON.stringify(about));
}
