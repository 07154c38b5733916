/** What a file that may be a sheet says of its functions, whatever else is wrong with it. */
import { settlePath } from '../../base/paths';
import { isMapping } from './issues';
import { readYaml } from './yaml';

export interface RoughFunction {
  readonly source: string;
  /** What stands before `#`. */
  readonly entryFile: string;
}

/** None where the text is no sheet. */
export function roughFunctions(text: string): RoughFunction[] {
  if (!/^functions:/m.test(text) || !/^project:/m.test(text)) return [];
  const { value } = readYaml(text, '');
  const functions = isMapping(value) && isMapping(value.functions) ? Object.values(value.functions) : [];
  return functions.flatMap((one) => {
    if (!isMapping(one) || typeof one.source !== 'string' || typeof one.entry !== 'string') return [];
    const source = settlePath(one.source);
    return source === undefined ? [] : [{ source, entryFile: one.entry.split('#')[0] ?? '' }];
  });
}
