/** Which settings a function's own code reads, in whatever language. */
import { ownClasses } from '../languages/jvm/rules/shared';
import { asPython, ownModules } from '../languages/python/rules/shared';
import { ownNodeModules } from '../languages/node/rules/shared';
import type { SettingRead } from '../fileset/model';
import { isNativeFunction } from '../findings/native-files';
import type { FunctionFacts, Subject } from '../findings/rule';

export function settingsRead(subject: Subject, facts: FunctionFacts): SettingRead[] {
  // An executable does not say; its source did, where it was compiled here.
  if (isNativeFunction(facts)) return [...(facts.waybill?.reads ?? [])];
  if (facts.runtime?.language === 'java')
    return ownClasses(subject, facts).flatMap(({ path, facts: { settings } }) =>
      settings.map(({ name, line }) => ({ name, line, file: path, hasDefault: false })),
    );
  if (facts.runtime?.language !== 'node') {
    const artifact = asPython(subject);
    return ownModules(subject, facts).flatMap((file) =>
      (artifact.facts(file)?.settings ?? []).map((one) => ({ ...one, file })),
    );
  }
  const inFiles = ownNodeModules(subject, facts).flatMap((file) =>
    (subject.node?.factsOf(file)?.settings ?? []).map((one) => ({ ...one, file })),
  );
  const inModules = (facts.waybill?.modules ?? []).flatMap(({ path, settings = [] }) =>
    settings.map((one) => ({ ...one, file: path })),
  );
  return [...inFiles, ...inModules];
}

/** Texts of the function's own code, in which a name may stand that is read by way of a constant. */
export function ownTexts(subject: Subject, facts: FunctionFacts): string[] {
  const { waybill } = facts;
  // A text in a class stands there as it is.
  if (facts.runtime?.language === 'java')
    return ownClasses(subject, facts).map(({ path }) => subject.readText(path) ?? '');
  if (facts.runtime?.language !== 'node') return ownModules(subject, facts).map((path) => subject.readText(path) ?? '');
  const entry = waybill?.modules.length ? [waybill.entry.loads.file] : [];
  return [...ownNodeModules(subject, facts), ...entry].map((path) => subject.readText(path) ?? '');
}
