/** Packages of third parties in artifacts: what they are, and what they say of themselves. */
export { packageFacts, type PackagesRequest } from './facts';
export { installedPackages } from './installed';
export { advisoriesOf } from './advisories';
export { thirdPartyFacts, type ThirdPartyFacts } from './third-party';
