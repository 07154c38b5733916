/** Words in braces of what is filled in: what is known of functions as they were built, and as they stand at a destination. */
import { EmballageError } from '../../base/errors';
import { listed, nearestWord, printable } from '../../base/text';
import { languageOf } from '../../languages';
import { type Project } from '../../project/targets';
import { verifyArtifact, type WaybillHead } from '../../project/verify-artifact';
import {
  ARCHITECTURES,
  entryOf,
  entryString,
  givenMemory,
  givenTimeMs,
  type Arch,
  type Destination,
  type Fill,
  type FunctionSpec,
} from '../../sheet';
import { linkOf, readLedger, standing, type Delivery } from '../deliver';

/** Words about a function, and those about one of its artifacts. */
const FUNCTION_WORDS = ['entry', 'runtime', 'memory', 'timeout', 'settings', 'version', 'digest'] as const;
const ARTIFACT_WORDS = ['sha256', 'location', 'size', 'link'] as const;
type FunctionWord = (typeof FUNCTION_WORDS)[number];
type ArtifactWord = (typeof ARTIFACT_WORDS)[number];
const WORDS: readonly string[] = [...FUNCTION_WORDS, ...ARTIFACT_WORDS];

/** The text of an entry with its words filled in. @throws EmballageError USAGE with the place in the sheet */
export async function fillText(project: Project, fill: Fill): Promise<string> {
  const filled: string[] = [];
  for (const part of fill.value.split(/(\{[^{}]*\})/))
    filled.push(/^\{.*\}$/.test(part) ? await wordIn(project, fill, part.slice(1, -1)) : part);
  return filled.join('');
}

async function wordIn(project: Project, fill: Fill, word: string): Promise<string> {
  const [name = '', ...rest] = word.split('.');
  const spec = project.sheet.functions.find((one) => one.name === name);
  if (spec === undefined) {
    const names = project.sheet.functions.map((one) => one.name);
    const near = nearestWord(name, names);
    throw unknown(fill, word, names, near === undefined ? undefined : [near, ...rest].join('.'));
  }
  const arch = ARCHITECTURES.find((one) => one === rest[0]);
  const field = rest.slice(arch === undefined ? 0 : 1).join('.');
  const destination = project.sheet.destinations[fill.destination ?? spec.destination];
  if (destination === undefined) throw new Error(`no destination of ${name}`);
  const [delivery] = standing(readLedger(project), name, destination.name);
  const about: About = { project, fill, word, spec, destination, delivery };
  if (isWord(field, FUNCTION_WORDS) && arch === undefined) return functionWord(about, field);
  if (isWord(field, ARTIFACT_WORDS)) return artifactWord(about, field, arch ?? onlyArch(about));
  throw unknown(
    fill,
    word,
    WORDS.map((one) => `${name}.${one}`),
  );
}

interface About {
  readonly project: Project;
  readonly fill: Fill;
  readonly word: string;
  readonly spec: FunctionSpec;
  readonly destination: Destination;
  readonly delivery: Delivery | undefined;
}

async function functionWord(about: About, word: FunctionWord): Promise<string> {
  const { spec, destination } = about;
  switch (word) {
    case 'runtime':
      return spec.runtime.text;
    case 'memory':
      return String(givenMemory(spec, destination));
    case 'timeout':
      return String(givenTimeMs(spec, destination));
    case 'settings':
      return spec.settings.map(({ name }) => name).join(',');
    case 'version':
      return sent(about).version ?? sent(about).digest;
    case 'digest':
      return sent(about).digest;
    case 'entry': {
      const { loads } = (await built(about, spec.archs[0] ?? 'x86_64')).entry;
      return entryString(destination, languageOf(spec.runtime.language).sheet.entry, entryOf(loads));
    }
  }
}

async function artifactWord(about: About, word: ArtifactWord, arch: Arch): Promise<string> {
  const { spec, destination, delivery } = about;
  switch (word) {
    case 'sha256':
      return delivery?.artifacts[arch]?.slice('sha256:'.length) ?? (await built(about, arch)).artifact.sha256;
    case 'size':
      return String((await built(about, arch)).artifact.size);
    case 'location':
      return sent(about).locations[arch] ?? '';
    case 'link': {
      const link = linkOf({ destination, ending: spec.form.fileEnding }, sent(about), arch);
      if (link !== undefined) return link;
      throw at(
        about.fill,
        `\`link\` in the destination ${destination.name}`,
        'none',
        `add \`link\` to ${destination.file}`,
      );
    }
  }
}

/** What stands at the destination. */
function sent({ fill, word, spec, destination, delivery }: About): Delivery {
  if (delivery !== undefined) return delivery;
  throw at(
    fill,
    `a delivery of ${spec.name} at ${destination.name}, for \`{${word}}\``,
    'none that stands',
    `send it first: \`emballage send ${spec.name} --to ${destination.name}\``,
  );
}

function built({ project, spec }: About, arch: Arch): Promise<WaybillHead> {
  return verifyArtifact(project, { spec, arch });
}

function onlyArch({ fill, word, spec }: About): Arch {
  const [first] = spec.archs;
  if (first !== undefined && spec.archs.length === 1) return first;
  const [name = '', ...rest] = word.split('.');
  throw at(
    fill,
    `the architecture: ${listed(
      spec.archs.map((arch) => `\`{${name}.${arch}.${rest.join('.')}}\``),
      'or',
    )}`,
    `\`{${word}}\``,
    'name one of them',
  );
}

function unknown(fill: Fill, word: string, known: readonly string[], near = nearestWord(word, known)): EmballageError {
  return at(
    fill,
    `a word such as \`{${known[0] ?? ''}}\``,
    `\`{${printable(word)}}\``,
    near === undefined ? `words are ${WORDS.join(', ')}` : `did you mean \`{${near}}\`?`,
  );
}

function at({ place }: Fill, expected: string, found: string, mend: string): EmballageError {
  return new EmballageError('USAGE', {
    doing: 'filling templates',
    found: 'a word that cannot be filled in',
    mend: 'mend what is listed',
    problems: [{ place, expected, found, mend }],
  });
}

function isWord<T extends string>(word: string, known: readonly T[]): word is T {
  return known.some((one) => one === word);
}
