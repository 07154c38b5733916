/** What languages need to survey a repository, and share. */
export { commonFolder, firstIn, isAside, nameFor, nearest, ownFolder, stemOf, tracedWhere } from './folders';
export type {
  EntryCandidate,
  KnownFunction,
  LookedAt,
  Reasoned,
  SurveyedFunction,
  SurveyedKey,
  SurveyedSetting,
  SurveyedTree,
  Survey,
  SurveyNote,
  Surveyor,
  SurveyRequest,
} from './model';
export { byPoints, ENOUGH, rank, type Ranked } from './rank';
export { reach } from './reach';
export { allOf, cutAtCommas, inParentheses, lineAt } from './texts';
