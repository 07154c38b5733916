// Writes docs/reference/ from the program itself: commands, sheet, destination, rules, what is remembered. With --check nothing is written:
// it fails when a page is not what the program would write.
import { execFileSync } from 'node:child_process';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { fileURLToPath } from 'node:url';
import { manualPage } from './manual.mjs';

process.chdir(fileURLToPath(new URL('..', import.meta.url)));
const require = createRequire(import.meta.url);
const { COMMANDS } = require('../dist/cli/commands/list.js');
const { rulesFor } = require('../dist/core/pipeline/check/index.js');
const { KINDS } = require('../dist/core/project/state/state.js');
const { LANGUAGES } = require('../dist/core/languages/index.js');
const RULES = await rulesFor({});
const note = '<!-- Written by scripts/reference.mjs from the program. Not for editing. -->\n\n';

const EXITS = [
  ['0', 'done'],
  ['1', 'the answer is no: a stop finding, bytes differ, the function failed'],
  ['2', 'the command, or a file that it reads, is wrong'],
  ['3', 'a toolchain or service that it needs is missing or failed; a full disk'],
  ['4', 'a fault of the tool’s own'],
  ['130, 143', 'ended by an interrupt, or from outside'],
];

const pages = {
  'commands.md': commandsPage(),
  'sheet.md': schemaPage('sheet', 'The packing sheet', 'emballage.yaml'),
  'destination.md': schemaPage('destination', 'A destination', 'destinations/slipway.yaml'),
  'rules.md': rulesPage(),
  'state.md': statePage(),
  '../emballage.1': await manual(),
};
const stale = Object.entries(pages).filter(([name, text]) => {
  const path = name.startsWith('../') ? `docs/${name.slice(3)}` : `docs/reference/${name}`;
  const same = existsSync(path) && readFileSync(path, 'utf8') === text;
  if (!process.argv.includes('--check')) writeFileSync(path, text);
  return !same;
});
if (process.argv.includes('--check') && stale.length > 0) {
  console.error(`out of date: ${stale.map(([name]) => name).join(', ')}; run npm run docs`);
  process.exit(1);
}

function help(...args) {
  const text = execFileSync(process.execPath, ['bin/emballage.js', ...args], {
    encoding: 'utf8',
    env: { ...process.env, NO_COLOR: '1', COLUMNS: '', LC_ALL: 'C.UTF-8' },
  });
  return text.replaceAll('node bin/emballage.js', 'emballage').trim();
}

async function manual() {
  const { COMMON, optionText } = require('../dist/cli/options.js');
  const { aboutOption } = require('../dist/cli/views/help.js');
  const { VERSION } = require('../dist/cli/program.js');
  const commands = await Promise.all(COMMANDS.map(async (entry) => ({ ...entry, ...(await entry.load()) })));
  return manualPage({ commands, common: COMMON, exits: EXITS, optionText, aboutOption, version: VERSION });
}

function commandsPage() {
  const sections = COMMANDS.map(({ name }) => `## ${name}\n\n\`\`\`text\n${help(name, '--help')}\n\`\`\`\n`);
  const table = EXITS.map(([code, meaning]) => `| ${code} | ${meaning} |`).join('\n');
  return `${note}# Commands\n\n\`\`\`text\n${help()}\n\`\`\`\n\n${sections.join('\n')}\n## Exit codes\n\n| code | means |\n|---|---|\n${table}\n`;
}

function statePage() {
  const own = new Set(LANGUAGES.flatMap(({ caches }) => caches));
  const kinds = [...Object.values(KINDS), ...own].sort((a, b) => (a.name < b.name ? -1 : 1));
  const most = ({ things, bytes }) =>
    `${things.toLocaleString('en')}${bytes === undefined ? '' : `, ${(bytes / 2 ** 30).toLocaleString('en')} GiB`}`;
  const rows = kinds.map(
    ({ name, holds, dependsOn, keptBy, of, most: bound }) =>
      `| \`${name}\` | ${holds} | ${dependsOn} | ${of === 'user' ? 'the user' : 'the project'} | ${keptBy === 'code' ? 'only the same version' : 'any version, by its digest'} | ${most(bound)} |`,
  );
  return `${note}# What is remembered

All of it is only memory of work done: without it the bytes are the same. What belongs to a project lies in \`.emballage/\`
beside its sheet; what third parties made is the same in every project, and lies in the user’s folder for caches
(\`$XDG_CACHE_HOME/emballage\`, else \`~/.cache/emballage\`). What only the same version of the tool reads lies below a
folder named after its code, \`code-…\`. Of each kind there is so much before the least recently used goes.

| folder | holds | depends on | belongs to | read by | at most |
|---|---|---|---|---|---|
${rows.join('\n')}

Beside them lie \`scratch/\`, what a run needs while it lasts, and the folders by which runs exclude each other. What a run
that was stopped left there goes with the next one; what versions of the tool before the last three kept goes too.
`;
}

function rulesPage() {
  const rows = RULES.map(
    (rule) =>
      `| [${rule.id}](#${rule.id.replace('/', '')}) | ${rule.level} | ${rule.title} | ${rule.needs.join(', ') || '–'} |`,
  );
  const sections = RULES.map(
    (rule) =>
      `## ${rule.id}\n\n${rule.title}. Level: ${rule.level}.\n\n**Why.** ${rule.why}\n\n**Mend.** ${rule.mend}\n`,
  );
  return `${note}# Rules\n\nWhat \`check\` looks for. A rule that needs something it is not told is listed as not applied; it never passes silently.\nA finding can be accepted in the sheet, with a reason and an end date: see \`accept\` in [the sheet](sheet.md).\n\n| rule | level | holds | needs |\n|---|---|---|---|\n${rows.join('\n')}\n\n${sections.join('\n')}`;
}

function schemaPage(name, title, example) {
  const schema = JSON.parse(readFileSync(`schemas/${name}.schema.json`, 'utf8'));
  const sample = readFileSync(`demo/fernhaven-tides/${example}`, 'utf8');
  const rows = [...keyRows(schema, '')].map(
    ([key, form, required, text]) => `| \`${key}\` | ${form} | ${required ? 'yes' : ''} | ${text} |`,
  );
  return `${note}# ${title}\n\nFrom the demo:\n\n\`\`\`yaml\n${sample}\`\`\`\n\nUnknown keys are refused. The JSON Schema for editors is [schemas/${name}.schema.json](../../schemas/${name}.schema.json).\n\n| key | form | required | meaning |\n|---|---|---|---|\n${rows.join('\n')}\n`;
}

function* keyRows(schema, prefix) {
  for (const [key, value] of Object.entries(schema.properties ?? {})) {
    const path = `${prefix}${key}`;
    yield [path, formOf(value), schema.required?.includes(key), value.description ?? ''];
    yield* keyRows(value, `${path}.`);
    yield* keyRows(value.items ?? {}, `${path}[].`);
    if (typeof value.additionalProperties === 'object') yield* keyRows(value.additionalProperties, `${path}.NAME.`);
  }
}

function formOf({ type, enum: words, pattern = '', items, anyOf, additionalProperties }) {
  if (words) return words.map((word) => `\`${word}\``).join(' or ');
  if (anyOf) return anyOf.map(formOf).join(', or ');
  if (pattern.includes('KiB')) return 'size, `64 MiB`';
  if (pattern.includes('min|h')) return 'time, `30 s`';
  if (pattern.startsWith('^\\d{4}')) return 'day, `"2027-01-31"`';
  if (type === 'array') return `list of ${formOf(items)}`;
  if (type === 'object') return typeof additionalProperties === 'object' ? 'mapping by name' : 'mapping';
  return { string: 'text', boolean: 'true or false', integer: 'whole number' }[type] ?? type;
}
