/** The stand-in package index. */
export { readFolder } from './read-folder';
export { MISBEHAVIOURS, startIndex, type Misbehaviour, type RunningIndex } from './server';
