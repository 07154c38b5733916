/** Templates of the team's own, filled in place. */
export { fillTemplates, type Filled, type FillRequest } from './fill';
