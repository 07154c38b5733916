/** Keys of the sheet that would make a Python function lighter. */
import type { FunctionSpec } from '../../sheet';
import type { Lighter } from '../language';

export function lighter(spec: FunctionSpec<'python'>): Lighter<'python'>[] {
  const traced: Lighter<'python'> = {
    ...{ what: 'trim', about: 'only what the entry reaches', line: 'trim: traced' },
    spec: { ...spec, trim: 'traced' },
  };
  const plain: Lighter<'python'> = {
    ...{ what: 'bytecode', about: 'without compiled bytecode; the first start takes longer', line: 'bytecode: false' },
    spec: { ...spec, own: { ...spec.own, bytecode: false } },
  };
  return [...(spec.trim === 'traced' ? [] : [traced]), ...(spec.own.bytecode ? [plain] : [])];
}
