/** Keys of the sheet that would make a Node.js function lighter. */
import type { FunctionSpec } from '../../sheet';
import type { Suggestion } from '../language';
import type { NodeKeys } from './own';

/** Keys that would make a Node.js function lighter. */
export function lighter(spec: FunctionSpec<'node'>): Suggestion<'node'>[] {
  const { link, minify, sourcemap } = spec.byLanguage;
  const own = (keys: Partial<NodeKeys>): FunctionSpec<'node'> => ({
    ...spec,
    byLanguage: { ...spec.byLanguage, ...keys },
  });
  const traced: Suggestion<'node'> = {
    what: 'trim',
    about: 'only what the entry reaches',
    line: 'trim: traced',
    spec: { ...spec, trim: 'traced' },
  };
  const linked: Suggestion<'node'> = {
    what: 'link',
    about: 'one file, with what is used of each module',
    line: 'link: true',
    spec: own({ link: true }),
  };
  const small: Suggestion<'node'> = {
    what: 'minify',
    about: 'code as short as it can be',
    line: 'minify: true',
    spec: own({ minify: true }),
  };
  const mapless: Suggestion<'node'> = {
    what: 'sourcemap',
    about: 'without maps to the source',
    line: 'sourcemap: none',
    spec: own({ sourcemap: 'none' }),
  };
  return [
    ...(spec.trim !== 'traced' && !link ? [traced] : []),
    ...(link ? [] : [linked]),
    ...(link && !minify ? [small] : []),
    ...(sourcemap === 'none' ? [] : [mapless]),
  ];
}
