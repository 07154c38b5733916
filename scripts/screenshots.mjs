// Makes docs/screenshots/: runs real commands on the demo project in xterm under Xvfb and photographs the window.
import { spawn, spawnSync } from 'node:child_process';
import { cpSync, existsSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { fileURLToPath } from 'node:url';

const root = fileURLToPath(new URL('..', import.meta.url));
const target = join(root, 'docs/screenshots');
/** Name of the picture, the commands to run before without showing them, and the command to show. */
const PROVE = [
  'emballage prove surge-alert --offline',
  'echo; echo "# with a compiler that tells the day:"; cat tools/gcc; echo',
  'PATH=$PWD/tools:$PATH emballage prove tide-solver-c --sheet solver.yaml --offline 2> /dev/null',
].join('; ');
const FAULTY = String.raw`mkdir tools
cat > tools/gcc <<'END'
#!/bin/sh
exec /usr/bin/gcc -DSTAMP="\"built on $(date +%F)\"" "$@"
END
chmod +x tools/gcc
sed -i '1i #ifdef STAMP\n__attribute__((used, retain)) static const char stamp[] = STAMP;\n#endif' functions/tide-solver-c/solver.c`;
const SHARE = [
  'export EMBALLAGE_STORE=127.0.0.1:8447/fernhaven-store',
  'emballage stand-in registry ../moorings --port 8447 --quiet & sleep 1',
  'cp -r . ../laptop; cp -r . ../worker-2',
  '(cd ../worker-2; EMBALLAGE_STORE_WRITE=1 emballage build --sheet solver.yaml --part 1/2)',
  'echo; EMBALLAGE_STORE_WRITE=1 emballage build --sheet solver.yaml --part 2/2',
  'echo; cd ../laptop; emballage build --sheet solver.yaml',
  'echo; emballage tidy --shared --older "30 days" --sheet solver.yaml; kill %1',
].join('; ');
const COMPARE = [
  'cp out/surge-alert/arm64/surge-alert.zip before.zip',
  "sed -i 's/levelCm - predictedCm/(levelCm - predictedCm) * 1.25/' functions/surge-alert/surge.ts",
  'emballage build surge-alert --quiet',
  'emballage compare before.zip surge-alert --arch arm64',
  'echo',
  'mkdir again && cd again && unzip -q ../before.zip && zip -q -r ../again.zip . && cd ..',
  'emballage compare before.zip again.zip',
].join('; ');
const HOSTS = [
  'mkdir -p ../trial ../live; echo \'{"BELL_TOKEN":"made-up"}\' > ../live/held.json',
  'emballage build --sheet delivery.yaml --quiet',
].join('; ');
const SEND = [
  'export BELL_TOKEN=made-up',
  'for at in "trial 8441" "live 8442"; do set -- $at; emballage stand-in host ../$1 --destination destinations/$1.yaml --port $2 --quiet > /dev/null & done; sleep 2',
  'emballage send tide-clock --sheet delivery.yaml',
  'sed -i \'s/trial: "60"/trial: "30"/\' delivery.yaml; echo; emballage check tide-clock --there --sheet delivery.yaml',
  'echo; emballage send tide-clock --sheet delivery.yaml --quiet',
  'emballage try tide-clock --there --sheet delivery.yaml --quiet',
  'echo; emballage send tide-clock --to live --from trial --sheet delivery.yaml',
  'echo; emballage fill --sheet delivery.yaml --quiet; echo; emballage ledger --sheet delivery.yaml --quiet',
  'echo; emballage recall tide-clock --from trial --sheet delivery.yaml --quiet; kill %1 %2',
].join('; ');
const SHOWN_SEND = 'emballage send tide-clock   # then a setting changes, is sent alone, and what stands is promoted';
const SHOWN_SHARE = 'emballage build --part 1/2   # on one worker; 2/2 on another; then on a laptop, without a part';
const KEYS =
  'openssl genpkey -algorithm ed25519 -out harbour.key 2> /dev/null; mkdir keys; openssl pkey -in harbour.key -pubout -out keys/harbour.pem';
const VOUCH = [
  'emballage vouch gauge-board --key harbour.key --sheet papers.yaml',
  'echo; emballage send gauge-board --sheet papers.yaml --quiet',
  'echo; emballage vouch --verify --sent gauge-board --key keys/harbour.pem --sheet papers.yaml',
  'echo; echo "# a licence in the bill is edited by hand:"',
  "sed -i '0,/Apache-2.0/s//MIT/' out/gauge-board/x86_64/gauge-board.cdx.json",
  'emballage vouch --verify gauge-board --key keys/harbour.pem --sheet papers.yaml --quiet',
  'echo; emballage check gauge-board --sheet papers.yaml --color | sed -n "/papers/,/mend/p"',
].join('; ');
const SHOWN_VOUCH = 'emballage vouch gauge-board --key harbour.key   # then it is sent, and verified where it stands';
const SHOTS = [
  ['lock', [], 'emballage lock; echo; emballage lock --offline'],
  ['build', ['lock'], 'emballage build; echo; emballage build'],
  [
    'jvm',
    ['lock --sheet berths.yaml'],
    "emballage build --sheet berths.yaml; echo; emballage check --sheet berths.yaml; echo; emballage why berth-planner '**/TideTable*' --sheet berths.yaml",
  ],
  [
    'dotnet',
    [],
    'emballage lock --sheet dues.yaml; echo; emballage build --sheet dues.yaml; echo; emballage try dues-export --sheet dues.yaml',
  ],
  [
    'native',
    ['build --sheet solver.yaml'],
    'emballage build --sheet solver.yaml; echo; emballage check tide-solver --sheet solver.yaml | head -14; echo; emballage try tide-solver --arch arm64 --sheet solver.yaml',
  ],
  [
    'image',
    [],
    'sed -i s/8430/8445/ destinations/moorings.yaml; emballage stand-in registry /tmp/fernhaven-moorings --port 8445 --quiet & sleep 1; emballage build --sheet chart.yaml; echo; emballage check --sheet chart.yaml | head -5; echo; emballage send --sheet chart.yaml; emballage try chart-render --sent --arch arm64 --sheet chart.yaml; kill %1; rm -rf /tmp/fernhaven-moorings',
  ],
  ['send', [], SEND, HOSTS],
  ['why', ['lock', 'build'], "emballage why surge-alert '*.txt'; echo; emballage why gauge-intake 'gaugelines/**'"],
  ['weigh', ['lock', 'build'], 'emballage weigh surge-alert'],
  ['compare', ['lock', 'build'], COMPARE],
  ['check', ['lock', 'build'], 'emballage check surge-alert gauge-page'],
  ['check-stop', ['build --sheet broken.yaml'], 'emballage check night-watch --sheet broken.yaml --color | head -42'],
  ['try', ['lock', 'build'], 'emballage try surge-alert'],
  [
    'survey',
    [],
    "emballage survey functions --color | head -30; sed -i 's/def receive/def take_in/' functions/gauge-intake/intake.py; echo; emballage survey",
  ],
  ['prove', ['lock', 'build'], PROVE, FAULTY],
  ['share', [], SHARE],
  ['calls', ['lock', 'build'], 'emballage event surge-alert --quiet; echo; emballage try gauge-intake --profile'],
  ['vouch', ['lock --sheet papers.yaml', 'build --sheet papers.yaml'], VOUCH, KEYS],
];
const DISPLAY = ':97';
const PATIENCE_MS = 60_000;

for (const tool of ['xterm', 'Xvfb', 'import'])
  if (spawnSync('which', [tool]).status !== 0) fail(`${tool} is missing: run scripts/toolchains.sh --pictures`);

mkdirSync(target, { recursive: true });
const only = process.argv.slice(2);
const server = spawn('Xvfb', [DISPLAY, '-screen', '0', '1280x800x24'], { stdio: 'ignore' });
const packages = spawn(
  process.execPath,
  [join(root, 'bin/emballage.js'), 'stand-in', 'index', join(root, 'demo/fernhaven-packages')],
  { stdio: 'ignore' },
);
await sleep(1500);
try {
  for (const shot of SHOTS) if (only.length === 0 || only.includes(shot[0])) await photograph(...shot);
  if (only.length === 0 || only.includes('weights-page')) await photographPage();
} finally {
  server.kill();
  packages.kill();
}

/** The page of weights of a function, with a block under the cursor. */
async function photographPage() {
  const { chromium } = await import('playwright-core');
  const folder = mkdtempSync(join(tmpdir(), 'emballage-shot-'));
  const project = join(folder, 'tides');
  cpSync(join(root, 'demo/fernhaven-tides'), project, { recursive: true });
  for (const args of [['lock'], ['build'], ['weigh', '--report', 'weights.html']])
    spawnSync(process.execPath, [join(root, 'bin/emballage.js'), ...args], { cwd: project });
  const executablePath = spawnSync('which', ['chromium'], { encoding: 'utf8' }).stdout.trim();
  const browser = await chromium.launch({ executablePath, args: ['--no-sandbox'] });
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto(`file://${join(project, 'weights.html')}`);
  await page.locator('g.block[aria-label*="surges.json"]').hover();
  await page.screenshot({ path: join(target, 'weights-page.png') });
  await browser.close();
  rmSync(folder, { recursive: true, force: true });
  console.error('weights-page.png');
}

async function photograph(name, before, command, first) {
  const folder = mkdtempSync(join(tmpdir(), 'emballage-shot-'));
  const project = join(folder, 'tides');
  cpSync(join(root, 'demo/fernhaven-tides'), project, { recursive: true });
  const bin = join(folder, 'bin');
  mkdirSync(bin);
  spawnSync('ln', ['-s', join(root, 'bin/emballage.js'), join(bin, 'emballage')]);
  const env = { ...process.env, PATH: `${bin}:${process.env.PATH}`, DISPLAY, LANG: 'C.UTF-8', LC_ALL: 'C.UTF-8' };
  for (const args of before) spawnSync('emballage', args.split(' '), { cwd: project, env });
  if (first !== undefined) spawnSync('bash', ['-c', first], { cwd: project, env });
  const script = join(folder, 'run.sh');
  writeFileSync(join(folder, 'shown'), { share: SHOWN_SHARE, send: SHOWN_SEND, vouch: SHOWN_VOUCH }[name] ?? command);
  writeFileSync(
    script,
    `cd ${project}\nprintf '\\033[1m$ %s\\033[0m\\n\\n' "$(cat ${folder}/shown)"\n${command}\ntouch ${folder}/done\nsleep 600\n`,
  );
  const look = [
    '-fa',
    'DejaVu Sans Mono',
    '-fs',
    '10',
    '-bg',
    '#10161d',
    '-fg',
    '#d6dde4',
    '-bw',
    '12',
    '-geometry',
    '156x47+0+0',
  ];
  const terminal = spawn('xterm', [...look, '+sb', '-e', 'bash', script], { env, stdio: 'ignore' });
  for (let waited = 0; !existsSync(join(folder, 'done')); waited += 100) {
    if (waited > PATIENCE_MS) fail(`${command} did not end`);
    await sleep(100);
  }
  await sleep(500);
  const shot = spawnSync('import', [
    '-display',
    DISPLAY,
    '-window',
    'root',
    '-depth',
    '8',
    '-strip',
    join(target, `${name}.png`),
  ]);
  if (shot.status !== 0) fail(`no picture of ${name}: ${shot.stderr}`);
  terminal.kill();
  rmSync(folder, { recursive: true, force: true });
  console.error(`${name}.png`);
}

function fail(message) {
  console.error(`screenshots: ${message}`);
  process.exit(3);
}
