/** Why files are in an artifact, and why others are not. */
export {
  explain,
  explainPackages,
  MOST_CHAINS,
  type ChainLink,
  type Explained,
  type ExplainedPackage,
} from './explain';
export { leftOut, type LeftOutGroup } from './left-out';
