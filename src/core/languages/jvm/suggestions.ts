/** Keys of the sheet that would make a JAR lighter. */
import type { FunctionSpec } from '../../sheet';
import type { Suggestion } from '../language';

/** Keys that would make a JVM function lighter. */
export function lighter(spec: FunctionSpec<'jvm'>): Suggestion<'jvm'>[] {
  const traced: Suggestion<'jvm'> = {
    what: 'trim',
    about: 'only classes that the entry reaches',
    line: 'trim: traced',
    spec: { ...spec, trim: 'traced' },
  };
  const deep: Suggestion<'jvm'> = {
    what: 'trim',
    about: 'only methods and fields that the entry reaches',
    line: 'trim: { traced: deep }',
    spec: { ...spec, trim: 'traced', isDeep: true, byLanguage: { ...spec.byLanguage, deep: true } },
  };
  const bare: Suggestion<'jvm'> = {
    what: 'debug',
    about: 'without names and lines for stack traces',
    line: 'debug: none',
    spec: { ...spec, byLanguage: { ...spec.byLanguage, debug: 'none' } },
  };
  return [
    ...(spec.trim === 'traced' ? [] : [traced]),
    ...(spec.isDeep ? [] : [deep]),
    ...(spec.byLanguage.debug === 'none' ? [] : [bare]),
  ];
}
