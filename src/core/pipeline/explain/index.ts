/** Why files are in an artifact, and why others are not. */
export { explain, type ChainLink, type Explained } from './explain';
export { leftOut, type LeftOutGroup } from './left-out';
