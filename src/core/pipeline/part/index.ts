/** Work that many machines share: which part of it is one worker's. */
export { parsePart, split, targetsOfPart, type Part } from './part';
