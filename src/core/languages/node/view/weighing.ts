/** What is known of files in artifacts for Node.js. */
import type { Weighing } from '../../weighing';

export const nodeWeighing: Weighing = {
  code: /\.(?:[cm]?[jt]s|jsx|tsx)$/i,
  about: /\.d\.[cm]?ts$|(?:^|\/)node_modules\/(?:@[^/]+\/)?[^/]+\/package\.json$/i,
  packageAt: (path) => /(?:^|.*\/)node_modules\/((?:@[^/]+\/)?[^/]+)\//.exec(path)?.[1],
};
