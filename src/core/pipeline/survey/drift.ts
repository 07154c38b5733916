/** What of a sheet no longer fits the source: functions that it does not have, entries that are gone, settings that came or went. */
import picomatch from 'picomatch';
import { joinPath } from '../../base/paths';
import { nearestWord, printable } from '../../base/text';
import { isCommonSetting } from '../../findings/common-settings';
import type { Finding } from '../../findings/finding';
import { languageOf, type LookedAt, type SurveyedFunction } from '../../languages';
import { hostSettings, type Destination, type FunctionSpec, type RoughFunction, type SheetEdits } from '../../sheet';
import { isSecretName, type ProposedFunction, type Surveys } from './propose';
import { isProgram } from './speech';
import { functionText, settingValue } from './sheet-text';

export const DRIFTS = ['function-new', 'entry-gone', 'setting-new', 'setting-gone'] as const;

export interface Drift extends Finding {
  readonly drift: (typeof DRIFTS)[number];
  /** Name of the function. */
  readonly name: string;
  /** Makes the change in the text of the sheet; gives undefined where it has to be made by hand. */
  readonly edit?: (edits: SheetEdits, text: string) => string | undefined;
}

/** Functions that no sheet has. @param found without those that a sheet states */
export function newFunctions(
  found: readonly ProposedFunction[],
  stated: readonly RoughFunction[],
  taken: readonly string[],
): Drift[] {
  const used = new Set(taken);
  return found.flatMap((one): Drift[] => {
    const [best] = one.entries;
    // Beside an entry that the sheet has, it may well be a part of that.
    const isBeside = stated.some(
      ({ source }) => source === one.source || (source !== '' && one.source.startsWith(`${source}/`)),
    );
    let name = one.name;
    for (let n = 2; used.has(name); n++) name = `${one.name}-${String(n)}`;
    used.add(name);
    const drift: Drift = {
      drift: 'function-new',
      level: isBeside ? 'note' : 'warn',
      name,
      where: one.source === '' ? one.file : one.source,
      expected: isBeside ? 'one function of each folder, or all in the sheet' : 'every function in the sheet',
      found: `\`${printable(best.entry)}\`, ${one.runtime.value}: ${best.why}`,
      mend: isBeside
        ? `describe \`${name}\` in the sheet if it is one`
        : `describe \`${name}\` in the sheet, or let --write do it`,
    };
    if (isBeside) return [drift];
    return [
      {
        ...drift,
        edit: (edits, text) =>
          edits.appendBlock(text, ['functions'], (indent) => functionText({ ...one, name }, indent)),
      },
    ];
  });
}

/** Whether a sheet has a function that was found: the same source folder and entry file. */
export function isStated({ source, entries }: SurveyedFunction, stated: readonly RoughFunction[]): boolean {
  const entryFile = entries[0].entry.split('#')[0] ?? '';
  return stated.some((other) => isSameEntry(other, { source, entryFile }));
}

/** Also where the one counts its path from a folder above the other's. */
function isSameEntry(a: RoughFunction, b: RoughFunction): boolean {
  const isAbove = a.source !== '' && b.source.startsWith(`${a.source}/`);
  return (
    joinPath(a.source, a.entryFile) === joinPath(b.source, b.entryFile) ||
    ((a.source === b.source || isAbove) && a.entryFile === b.entryFile)
  );
}

/** What does not fit of a function that the sheet has. */
export function driftOf(
  surveys: Surveys,
  spec: FunctionSpec,
  destination: Destination | undefined,
  isMentioned: (name: string) => boolean,
): Drift[] {
  const language = languageOf(spec.runtime.language);
  const looked = surveys.get(language)?.look(spec);
  if (looked === undefined) return [];
  const given = destination === undefined ? [] : hostSettings(spec.form, isProgram(language), destination);
  const isGiven = picomatch([...given]);
  const asked = { ...looked, settings: looked.settings.filter(({ name }) => !isGiven(name)) };
  return [...entryDrift(spec, asked), ...settingDrift(spec, asked, isMentioned)];
}

function entryDrift({ name, entry, source }: FunctionSpec, { entry: verdict, found, entries }: LookedAt): Drift[] {
  if (verdict !== 'gone') return [];
  const [best, next] = entries;
  // One that stands out: among equals a person has to choose.
  const isSure = best !== undefined && (next === undefined || best.points > next.points);
  const mend =
    best === undefined ? 'correct `entry`' : `write \`entry: ${printable(best.entry)}\`${isSure ? '' : ', or another'}`;
  return [
    {
      drift: 'entry-gone',
      level: 'stop',
      name,
      where: printable(joinPath(source, entry.file)),
      expected: `\`${printable(entry.text)}\``,
      found,
      mend,
      ...(best !== undefined &&
        isSure && { edit: (edits, text) => edits.replaceText(text, ['functions', name, 'entry'], best.entry) }),
    },
  ];
}

function settingDrift(
  { name, settings }: FunctionSpec,
  looked: LookedAt,
  isMentioned: (name: string) => boolean,
): Drift[] {
  const declared = settings.map((one) => one.name);
  const unread = declared.filter((one) => !looked.settings.some((read) => read.name === one) && !isMentioned(one));
  const missing = new Map(
    looked.settings
      .filter((one) => !one.hasDefault && !declared.includes(one.name) && !isCommonSetting(one.name))
      .reverse()
      .map((one) => [one.name, one]),
  );
  // One that nothing reads any more and one of nearly its name are the same, renamed.
  const renamed = new Map<string, string>();
  for (const setting of missing.keys()) {
    const near = nearestWord(
      setting,
      unread.filter((one) => ![...renamed.values()].includes(one)),
    );
    if (near !== undefined) renamed.set(setting, near);
  }
  const at = ['functions', name, 'settings'];
  const added = [...missing.values()].map(({ name: setting, file, line }): Drift => {
    const before = renamed.get(setting);
    return {
      drift: 'setting-new',
      level: 'stop',
      name,
      where: `${printable(file)}:${String(line)}`,
      expected: 'every setting that is read without a default in the sheet',
      found: `\`${printable(setting)}\``,
      mend:
        before === undefined
          ? `add \`${setting}\` to \`settings\``
          : `rename \`${before}\`, which nothing reads, to \`${setting}\` in the sheet, or mend the code`,
      edit: (edits, text) =>
        before === undefined
          ? edits.addPair(text, at, [setting, settingValue({ isSecret: isSecretName(setting) })], 'entry')
          : edits.renameKey(text, [...at, before], setting),
    };
  });
  const gone = unread
    .filter((one) => ![...renamed.values()].includes(one))
    .map((setting): Drift => {
      const drift: Drift = {
        drift: 'setting-gone',
        level: looked.hasPackages ? 'note' : 'warn',
        name,
        where: setting,
        expected: 'settings that something reads',
        found: looked.hasPackages ? 'no mention of it in the source' : 'no mention of it anywhere',
        mend: looked.hasPackages ? 'take it out, unless a package reads it' : 'take it out of `settings`',
      };
      if (looked.hasPackages) return drift;
      return { ...drift, edit: (edits, text) => edits.removePair(text, [...at, setting]) };
    });
  return [...added, ...gone];
}
