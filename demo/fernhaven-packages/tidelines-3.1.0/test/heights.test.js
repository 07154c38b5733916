import assert from 'node:assert/strict';
import { formatHeight, parseHeight } from '../lib/heights.js';

assert.equal(formatHeight(447), '4.47 m');
assert.equal(parseHeight('4.47 m'), 447);
