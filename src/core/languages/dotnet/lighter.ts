/** Keys of the sheet that would make a .NET function lighter. */
import type { FunctionSpec } from '../../sheet';
import type { Lighter } from '../language';

export function lighter(spec: FunctionSpec<'dotnet'>): Lighter<'dotnet'>[] {
  const traced: Lighter<'dotnet'> = {
    ...{ what: 'trim', about: 'only assemblies that the entry reaches', line: 'trim: traced' },
    spec: { ...spec, trim: 'traced' },
  };
  const texts: Lighter<'dotnet'> = {
    ...{ what: 'languages', about: 'without texts in other languages than English', line: 'languages: [en]' },
    spec: { ...spec, own: { ...spec.own, languages: ['en'] } },
  };
  return [...(spec.trim === 'traced' ? [] : [traced]), ...(spec.own.languages === undefined ? [texts] : [])];
}
