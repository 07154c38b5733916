/** How artifacts are taken apart into what has weight, by what files are and whose. */
export { kindsBy, looksLikeProgram, type KindOf } from './kinds';
export {
  KINDS_OF_PART,
  type Group,
  type LayerGroup,
  type Part,
  type PartKind,
  type PartOwner,
  type Weight,
} from './model';
export { nativeParts, programParts } from './native-parts';
export { BASE, FRAME, OWN, ownerByPath, ownersByRow, partOwner, UNKNOWN, UNTOLD } from './owners';
export { asParts, countFiles, knowingOf, type Knowing, type ReadParts, type ReadPartsRequest } from './parts';
export { shares } from './shares';
export { sourceOwners, type SourceOwner } from './source-owners';
export { zipParts, type PlainPart } from './zip-parts';
