/** What JVM functions depend on: POMs and what they come to, settled as Maven settles them. */
export {
  activeProfiles,
  isActivated,
  readActivation,
  type Activation,
  type ActivationSurroundings,
} from './activation';
export {
  type Dependency,
  effectivePom,
  type EffectivePom,
  managedKey,
  type Managed,
  type PomSurroundings,
} from './effective';
export { type Coordinates, invalidPom, licencesOf, readPom } from './pom';
export { type Overridden, type Resolution, resolveArtifacts, type ResolvedArtifact } from './resolve';
export { compareVersions, parseWish } from './version';
