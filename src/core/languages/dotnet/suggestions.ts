/** Keys of the sheet that would make a .NET function lighter. */
import type { FunctionSpec } from '../../sheet';
import type { Suggestion } from '../language';

/** Keys that would make a .NET function lighter. */
export function lighter(spec: FunctionSpec<'dotnet'>): Suggestion<'dotnet'>[] {
  const traced: Suggestion<'dotnet'> = {
    what: 'trim',
    about: 'only assemblies that the entry reaches',
    line: 'trim: traced',
    spec: { ...spec, trim: 'traced' },
  };
  const texts: Suggestion<'dotnet'> = {
    what: 'languages',
    about: 'without texts in other languages than English',
    line: 'languages: [en]',
    spec: { ...spec, byLanguage: { ...spec.byLanguage, languages: ['en'] } },
  };
  return [...(spec.trim === 'traced' ? [] : [traced]), ...(spec.byLanguage.languages === undefined ? [texts] : [])];
}
