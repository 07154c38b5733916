/** What loading the modules of a function costs, as the runner notes it. */
import { toldCosts, type Profiling } from '../../load-cost';

export const profiling: Profiling = {
  args: () => [],
  read: ({ told: result }) => Promise.resolve(toldCosts(result, ({ name }) => name)),
};
