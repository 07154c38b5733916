import assert from 'node:assert/strict';
import test from 'node:test';
import { surge } from './surge.js';

test('the surge is the level above the prediction', () => assert.equal(surge(431.4, 350), 81));
