/** The stand-in host: runs functions from their artifacts as a destination would. */
export { type NamedEvent, readEvent } from './event';
export { type CallReport, type HostPlan, runInHost } from './host';
export type { Answer, Failure } from './process';
