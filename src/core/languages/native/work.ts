/** What can be said of any executable. None is built, so most of the work of a language is none. */
import { NO_INPUTS } from '../../project/inputs';
import { executableRun } from '../compiled/running';
import { EXECUTABLE_RULES, executableView } from '../compiled/work';
import type { Work } from '../language';

const neverBuilt = (): Promise<never> => Promise.reject(new Error('no function is of this language'));

export const nativeWork: Work<'native'> = {
  needs: () => undefined,
  settle: neverBuilt,
  fetchesWhenLocked: true,
  dependsOn: () => NO_INPUTS,
  isMadeByProcessor: true,
  assemble: neverBuilt,
  view: executableView,
  rules: EXECUTABLE_RULES,
  run: { ...executableRun, found: () => Promise.resolve({ rows: [], document: {} }), lookUp: neverBuilt },
};
