/** Keys of the sheet that would make a Node.js function lighter. */
import type { FunctionSpec } from '../../sheet';
import type { Lighter } from '../language';
import type { NodeKeys } from './own';

export function lighter(spec: FunctionSpec<'node'>): Lighter<'node'>[] {
  const { link, minify, sourcemap } = spec.own;
  const own = (keys: Partial<NodeKeys>): FunctionSpec<'node'> => ({ ...spec, own: { ...spec.own, ...keys } });
  const traced: Lighter<'node'> = {
    ...{ what: 'trim', about: 'only what the entry reaches', line: 'trim: traced' },
    spec: { ...spec, trim: 'traced' },
  };
  const linked: Lighter<'node'> = {
    ...{ what: 'link', about: 'one file, with what is used of each module', line: 'link: true' },
    spec: own({ link: true }),
  };
  const small: Lighter<'node'> = {
    ...{ what: 'minify', about: 'code as short as it can be', line: 'minify: true' },
    spec: own({ minify: true }),
  };
  const mapless: Lighter<'node'> = {
    ...{ what: 'sourcemap', about: 'without maps to the source', line: 'sourcemap: none' },
    spec: own({ sourcemap: 'none' }),
  };
  return [
    ...(spec.trim !== 'traced' && !link ? [traced] : []),
    ...(link ? [] : [linked]),
    ...(link && !minify ? [small] : []),
    ...(sourcemap === 'none' ? [] : [mapless]),
  ];
}
