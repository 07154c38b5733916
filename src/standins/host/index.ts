/** The stand-in host: runs functions from their artifacts as a destination would. */
export { type CallReport, type HostOutcome, openHost, type OpenHost, runInHost } from './host';
export { judgeResponse, statusOf } from './response';
export { type RunningService, serveFunction, type ServedCall } from './serve';
export { type ImagePlan, whyNoRoot } from './image';
export type { Answer, Failure } from './answer';
export type { HostPlan } from './host-plan';
