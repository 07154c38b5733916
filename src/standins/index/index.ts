/** The stand-in package index. */
export { type Catalogue, readCatalogue } from './catalogue';
export { MISBEHAVIOURS, startIndex, type Misbehaviour, type RunningIndex } from './server';
