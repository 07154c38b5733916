/** Looks through a repository for functions, and holds a sheet against what is there. */
export { DRIFTS, type Drift } from './drift';
export type { ProposedFunction } from './propose';
export {
  compareWithSheet,
  editSheet,
  refuseExisting,
  surveyFolder,
  type Compared,
  type Edited,
  type Proposal,
  type SurveyOptions,
} from './survey';
