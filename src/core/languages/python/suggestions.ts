/** Keys of the sheet that would make a Python function lighter. */
import type { FunctionSpec } from '../../sheet';
import type { Suggestion } from '../language';

/** Keys that would make a Python function lighter. */
export function lighter(spec: FunctionSpec<'python'>): Suggestion<'python'>[] {
  const traced: Suggestion<'python'> = {
    what: 'trim',
    about: 'only what the entry reaches',
    line: 'trim: traced',
    spec: { ...spec, trim: 'traced' },
  };
  const plain: Suggestion<'python'> = {
    what: 'bytecode',
    about: 'without compiled bytecode; the first start takes longer',
    line: 'bytecode: false',
    spec: { ...spec, byLanguage: { ...spec.byLanguage, bytecode: false } },
  };
  return [...(spec.trim === 'traced' ? [] : [traced]), ...(spec.byLanguage.bytecode ? [plain] : [])];
}
