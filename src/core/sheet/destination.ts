/** Reads a destination file: what the place takes, its limits, its runtimes, its form of the entry string. */
import type { OpenWay } from './part';
import type { Problem } from '../base/errors';
import { present } from '../base/present';
import { listed, nearestWord, printable } from '../base/text';
import { parseSize, parseTime } from '../base/units';
import { callsProblems, settleCalls } from './keys/calls-key';
import { settleDeliver } from './keys/deliver-key';
import { isMapping, unknownWord, validate } from './text/issues';
import { type Destination, type DestinationRuntime, type Limits } from './model';
import { ENTRY_WORDS } from './part';
import { offeredPattern, offeredSamples, offeredShown, type Known, readRuntime } from './runtimes';
import { meantRuntime } from './text/trade-words';
import { destinationSchema, type DestinationText } from './destination-schema';
import type { LimitsText } from './text/schema-words';
import { settleWants } from './keys/wants-key';
import { readYaml, type YamlFile } from './text/yaml';

export interface DestinationFile {
  readonly destination?: Destination;
  readonly problems: readonly Problem[];
}

/**
 * @param text the file's content
 * @param file its name for messages
 */
export function readDestination(text: string, file: string, known: Known, ways: readonly OpenWay[]): DestinationFile {
  const yaml = readYaml(text, file);
  if (yaml.value === undefined) return { problems: yaml.problems };
  const { value, problems } = validate(destinationSchema(known, ways), yaml.value, yaml, known);
  const all = [...yaml.problems, ...problems, ...checkWords(yaml, known), ...callsProblems(value?.calls, yaml)];
  return value === undefined || all.length > 0
    ? { problems: all }
    : { destination: settle(value, file, known, ways), problems: [] };
}

/** Sizes of a limits mapping in bytes. */
export function settleLimits(limits: LimitsText | undefined): Limits {
  return {
    ...sized('packed', limits?.packed),
    ...sized('unpacked', limits?.unpacked),
    ...(limits?.files !== undefined && { files: limits.files }),
    ...sized('oneFile', limits?.['one-file']),
    ...sized('viewable', limits?.viewable),
    ...sized('layer', limits?.layer),
    ...(limits?.layers !== undefined && { layers: limits.layers }),
  };
}

/** Looks at names and forms that a schema cannot hold to their words, also in a file that has other mistakes. */
function checkWords(yaml: YamlFile, known: Known): Problem[] {
  const problems: Problem[] = [];
  const offered = offeredPattern(known);
  for (const name of Object.keys(mappingAt(yaml.value, 'runtimes'))) {
    if (offered.test(name)) continue;
    const near = meantOffered(name, known) ?? nearestWord(name, offeredSamples(known));
    problems.push({
      place: yaml.placeOf(['runtimes', name], 'key'),
      expected: `a runtime: ${listed(
        offeredShown(known).map((one) => `\`${one}\``),
        'or',
      )}`,
      found: `\`${printable(name)}\``,
      mend: near === undefined ? 'write language, space, version' : `write it like \`${near}\``,
    });
  }
  for (const [language, form] of Object.entries(mappingAt(yaml.value, 'entry')))
    for (const [, word] of String(form).matchAll(/\{([^}]*)\}/g))
      if (word !== undefined && !ENTRY_WORDS.some((known) => known === word))
        problems.push(unknownWord(yaml, ['entry', language], word, ENTRY_WORDS, 'value'));
  return problems;
}

/** A destination offers what is compiled under one word for all of it. */
function meantOffered(name: string, known: Known): string | undefined {
  const meant = meantRuntime(name, known);
  return meant === undefined ? undefined : (readRuntime(meant, known)?.offered ?? meant);
}

function mappingAt(value: unknown, key: string): Record<string, unknown> {
  const found = isMapping(value) ? value[key] : undefined;
  return isMapping(found) ? found : {};
}

function settle(value: DestinationText, file: string, known: Known, ways: readonly OpenWay[]): Destination {
  return {
    name: value.destination,
    file,
    archs: value.arch,
    cpu: present({ x86_64: value.cpu?.x86_64, arm64: value.cpu?.arm64 }),
    accepts: Object.fromEntries(
      known.forms.flatMap(({ id }) => {
        const limits = value.accepts[id];
        return limits === undefined ? [] : [[id, settleLimits(limits)]];
      }),
    ),
    ...(value.accepts.beside !== undefined && { besides: sized('packed', value.accepts.beside.packed) }),
    ...settleDeliver(value.deliver ?? shortForm(value), ways),
    ...present({ link: value.link }),
    runtimes: Object.entries(value.runtimes).map(([name, runtime]) => settleRuntime(name, runtime)),
    entry: value.entry ?? {},
    memory: { ...sized('least', value.memory?.least), ...sized('most', value.memory?.most) },
    ...timed('timeoutMostMs', value.timeout?.most),
    settings: {
      ...sized('totalBytes', value.settings?.total),
      reserved: value.settings?.reserved ?? [],
      required: value.settings?.required ?? [],
    },
    ...present({ calls: settleCalls(value.calls), wants: settleWants(value.wants) }),
  };
}

/** A size in bytes under a key, where there is one. */
function sized<Key extends string>(key: Key, text: string | undefined): Partial<Record<Key, number>> {
  return settled(key, parseSize(text ?? ''));
}

function timed<Key extends string>(key: Key, text: string | undefined): Partial<Record<Key, number>> {
  return settled(key, parseTime(text ?? ''));
}

function settled<Key extends string>(key: Key, value: number | undefined): Partial<Record<Key, number>> {
  return value === undefined ? {} : ({ [key]: value } as Partial<Record<Key, number>>);
}

function settleRuntime(name: string, runtime: DestinationText['runtimes'][string]): DestinationRuntime {
  return {
    name,
    provides: runtime.provides ?? [],
    ...(runtime.glibc !== undefined && { glibc: runtime.glibc }),
    ...(runtime.musl !== undefined && { musl: runtime.musl }),
    ...(runtime.patch !== undefined && { patch: runtime.patch }),
    ...(runtime.start !== undefined && { start: runtime.start }),
    ...(runtime.ends !== undefined && { ends: runtime.ends }),
  };
}

/** `registry` at the top of a destination is short for that under `deliver`. */
function shortForm({
  registry,
  'plain-http': plainHttp,
}: DestinationText): Readonly<Record<string, unknown>> | undefined {
  return registry === undefined ? undefined : { registry, ...present({ 'plain-http': plainHttp }) };
}
