/** Why files are in an artifact. */
export { explain, type ChainLink, type Explained } from './explain';
