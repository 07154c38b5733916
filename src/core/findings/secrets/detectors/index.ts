/** All kinds of secrets that are looked for. A new one is data in a file of this folder, and stands here. */
import type { Detector } from '../detector';
import * as keys from './private-keys';
import * as logins from './logins';
import { namedValue, settingsLine } from './named';
import { TOKENS } from './tokens';

/** What is told most exactly comes first: where two see the same, the first counts. */
export const DETECTORS: readonly Detector[] = [
  ...Object.values(keys),
  ...TOKENS,
  ...Object.values(logins),
  namedValue,
  settingsLine,
];
