/** Work that many machines share: which part of it is one worker's. */
export { parseShare, split, targetsOfShare, type Share } from './part';
