/** Keys of the sheet that would make a JAR lighter. */
import type { FunctionSpec } from '../../sheet';
import type { Lighter } from '../language';

export function lighter(spec: FunctionSpec<'jvm'>): Lighter<'jvm'>[] {
  const traced: Lighter<'jvm'> = {
    ...{ what: 'trim', about: 'only classes that the entry reaches', line: 'trim: traced' },
    spec: { ...spec, trim: 'traced' },
  };
  const deep: Lighter<'jvm'> = {
    ...{ what: 'trim', about: 'only methods and fields that the entry reaches', line: 'trim: { traced: deep }' },
    spec: { ...spec, trim: 'traced', isDeep: true, own: { ...spec.own, deep: true } },
  };
  const bare: Lighter<'jvm'> = {
    ...{ what: 'debug', about: 'without names and lines for stack traces', line: 'debug: none' },
    spec: { ...spec, own: { ...spec.own, debug: 'none' } },
  };
  return [
    ...(spec.trim === 'traced' ? [] : [traced]),
    ...(spec.isDeep ? [] : [deep]),
    ...(spec.own.debug === 'none' ? [] : [bare]),
  ];
}
