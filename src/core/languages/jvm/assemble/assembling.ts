/** Functions for the Java virtual machine. */
export { assembleJvm, classNameOf, type JvmAssembled, type JvmEntry, type JvmInput } from './assemble';
export { deepTrim, type DeepResult, type LooksUp } from '../shade/deep';
export type { ClassFacts } from '../shade/class-facts';
export { kindOf, withoutRelease } from '../shade/jar-entries';
export {
  PREPARE_VERSION,
  type PreparedEntry,
  type PreparedJar,
  type PrepareJob,
  readFacts,
  readPrepared,
} from '../shade/prepare';
export { prepareAll } from '../shade/prepare-pool';
export type { Move } from '../shade/relocation';
export {
  type EntryVerdict,
  findJvmEntry,
  type JvmView,
  type ViewedClass,
  viewJvmArtifact,
} from '../view/artifact-view';
