// Ends commands without warning (SIGKILL) at calls that change a disk, runs them again, and holds what comes of it against
// what comes of a run that nothing ended: `npm run kills -- 200`. The functions are those of the demo.
import { spawn, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { cpSync, existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';

const here = (path) => fileURLToPath(new URL(path, import.meta.url));
const [program, hook, demo] = ['../bin/emballage.js', '../test/support/kill-at.js', '../demo'].map(here);
const wanted = Number(process.argv[2] ?? 200);
const base = mkdtempSync(join(tmpdir(), 'emballage-kills-'));
const children = [];
let copies = 0;
process.on('exit', () => {
  for (const child of children) child.kill('SIGKILL');
  rmSync(base, { recursive: true, force: true });
});

const [index, trial] = await Promise.all([
  standIn(['index', join(demo, 'fernhaven-packages')]),
  standIn(['host', folder('host'), '--destination', join(demo, 'fernhaven-tides/destinations/trial.yaml')]),
]);
const start = join(base, 'start');
cpSync(join(demo, 'fernhaven-tides'), start, { recursive: true });
pointAt(start, { 'http://127.0.0.1:8427': index, 'http://127.0.0.1:8441': trial });

/** What is killed, and what has to come before it. */
const TOKEN = { BELL_TOKEN: 'made-up, of the trial host' };
const SEND = { args: ['send', 'tide-clock', '--sheet', 'delivery.yaml'], env: TOKEN };
const BUILD_SENT = { args: ['build', 'tide-clock', '--sheet', 'delivery.yaml'] };
const SHEETS = ['surge-alert', 'gauge-intake'];
const CASES = [
  { args: ['lock', ...SHEETS], before: [] },
  { args: ['build', ...SHEETS], before: [{ args: ['lock', ...SHEETS] }] },
  { ...SEND, before: [BUILD_SENT] },
  { args: ['recall', 'tide-clock', '--sheet', 'delivery.yaml'], env: TOKEN, before: [BUILD_SENT, SEND] },
  { args: ['fill', '--sheet', 'delivery.yaml'], before: [BUILD_SENT, SEND] },
  {
    args: ['vouch', ...SHEETS],
    before: [{ args: ['lock', ...SHEETS] }, { args: ['build', ...SHEETS] }],
  },
  { args: ['tidy'], before: [{ args: ['lock', ...SHEETS] }, { args: ['build', ...SHEETS] }] },
];

const only = process.argv[3];
const faults = [];
let kills = 0;
for (const [i, one] of CASES.entries()) {
  if (only !== undefined && one.args[0] !== only) continue;
  const share = Math.ceil((wanted - kills) / (CASES.length - i));
  kills += attack(one, share);
}
for (const fault of faults) console.log(fault);
console.log(`${kills} kills, ${faults.length} faults`);
process.exitCode = faults.length > 0 ? 1 : 0;

function attack({ args, env = {}, before }, share) {
  // What a run does that nothing ends.
  const whole = placeAfter(before);
  const counted = join(base, 'count');
  let begun = Date.now();
  const first = run(whole.root, whole.caches, { args, env: { ...env, KILL_COUNT: counted } });
  if (process.env.TELL) console.log('first', Date.now() - begun, first.status, first.stderr.slice(0, 300));
  const steps = Number(readFileSync(counted, 'utf8'));
  const expected = stateOf(whole.root);
  forget(whole);
  let done = 0;
  for (let n = 0; n < Math.min(share, steps); n++) {
    const at = 1 + Math.floor(((n + 0.5) * steps) / Math.min(share, steps));
    const place = placeAfter(before);
    begun = Date.now();
    const killed = run(place.root, place.caches, { args, env: { ...env, KILL_AT: String(at) } });
    if (process.env.TELL) console.log(' kill', at, Date.now() - begun, killed.signal);
    begun = Date.now();
    if (killed.signal === 'SIGKILL') done += 1;
    const between = halves(place.root);
    const again = run(place.root, place.caches, { args, env });
    if (process.env.TELL) console.log(' again', Date.now() - begun, again.status);
    const tell = (what) => faults.push(`${args.join(' ')}, killed at call ${at} of ${steps}: ${what}`);
    if (between.length > 0) tell(`half there: ${between.join(', ')}`);
    if (again.status !== first.status)
      tell(`ends with ${again.status}, not ${first.status}: ${again.stderr.slice(0, 400)}`);
    for (const path of new Set([...expected.keys(), ...stateOf(place.root).keys()]))
      if (expected.get(path) !== stateOf(place.root).get(path)) tell(`another ${path}`);
    // What is left over goes when it is tidied, and nothing was put elsewhere.
    run(place.root, place.caches, { args: ['tidy', '--caches'], env });
    for (const left of [...leftovers(place.root), ...leftovers(place.caches), ...leftovers(place.temporary)])
      tell(`left: ${left}`);
    forget(place);
  }
  console.log(`${args.join(' ').padEnd(60)} ${String(steps).padStart(5)} calls ${String(done).padStart(4)} kills`);
  return done;
}

/** Digests of what a command leaves for others: artifacts and papers, locks, templates, ledgers but for their times. */
function stateOf(root) {
  const state = new Map();
  for (const path of filesBelow(root)) {
    if (path.startsWith('.emballage/')) continue;
    const text = readFileSync(join(root, path));
    // A ledger says when, and a version of the host's says so in its name.
    const same = path.endsWith('.ledger') || path.startsWith('deploy/') ? settled(text) : text;
    state.set(path, createHash('sha256').update(same).digest('hex'));
  }
  return state;
}

function settled(text) {
  return text
    .toString('utf8')
    .replace(/\d{4}-\d\d-\d\dT[\d:.]+Z/g, 'TIME')
    .replace(/\b\d{8}T\d{9}-[0-9a-f]{6}\b/g, 'VERSION');
}

/** Artifacts without their waybills, or the other way round, and JSON that is cut off. */
function halves(root) {
  const found = [];
  for (const path of filesBelow(root)) {
    if (path.startsWith('.emballage/')) continue;
    if (/\.json$|(^|\/)(emballage|[a-z]+)\.lock$/.test(path) && !path.includes('Cargo'))
      try {
        JSON.parse(readFileSync(join(root, path), 'utf8'));
      } catch {
        found.push(path);
      }
  }
  return found;
}

function leftovers(root) {
  return filesBelow(root).filter((path) =>
    /\.part\b|\.tmp\b|~$|(^|\/)emballage-[a-z]+-\d+-|(^|\/)scratch\/./.test(path),
  );
}

function run(root, caches, { args, env = {} }) {
  const temporary = `${root}-temporary`;
  mkdirSync(temporary, { recursive: true });
  const hooked = env.KILL_AT !== undefined || env.KILL_COUNT !== undefined;
  const { NODE_EXTRA_CA_CERTS: _certificates, ...own } = process.env;
  return spawnSync(process.execPath, [...(hooked ? ['--require', hook] : []), program, ...args, '--quiet'], {
    cwd: root,
    encoding: 'utf8',
    env: { ...own, XDG_CACHE_HOME: caches, TMPDIR: temporary, SOURCE_DATE_EPOCH: '1767225600', NO_COLOR: '1', ...env },
  });
}

function must({ status, stderr }, args) {
  if (status !== 0) throw new Error(`${args.join(' ')} ends with ${status}: ${stderr}`);
}

/** A project of its own, with all that comes before: what is copied counts as changed. */
function placeAfter(before) {
  const root = join(base, `run-${(copies += 1)}`, 'fernhaven-tides');
  cpSync(start, root, { recursive: true });
  const place = { root, caches: `${root}-caches`, temporary: `${root}-temporary` };
  for (const step of before) must(run(place.root, place.caches, step), step.args);
  return place;
}

function forget({ root }) {
  rmSync(join(root, '..'), { recursive: true, force: true });
}

function folder(name) {
  const path = join(base, name);
  mkdirSync(path, { recursive: true });
  return path;
}

function filesBelow(root) {
  if (!existsSync(root)) return [];
  return readdirSync(root, { recursive: true, withFileTypes: true })
    .filter((one) => one.isFile())
    .map((one) => relative(root, join(one.parentPath ?? one.path, one.name)))
    .sort();
}

function pointAt(root, addresses) {
  for (const path of filesBelow(root).filter((one) => one.endsWith('.yaml'))) {
    let text = readFileSync(join(root, path), 'utf8');
    for (const [from, to] of Object.entries(addresses)) text = text.replaceAll(from, to);
    writeFileSync(join(root, path), text);
  }
}

function standIn(what) {
  const child = spawn(process.execPath, [program, 'stand-in', ...what, '--port', '0', '--no-color'], {
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  children.push(child);
  return new Promise((resolve) => {
    let said = '';
    child.stdout.on('data', (bytes) => {
      const [, url] = / at (http:\/\/[^\s/]+)/.exec((said += bytes)) ?? [];
      if (url !== undefined) resolve(url);
    });
  });
}
