/** The stand-in host: runs functions from their artifacts as a destination would. */
export { type CallReport, type HostOutcome, openHost, type OpenHost, runInHost } from './host';
export { eventOf, readBody, sendAnswer } from './exchange/http-events';
export { judgeResponse, statusOf } from './exchange/response';
export { type RunningService, serveFunction, type ServedCall } from './serve';
export { whyNoRoot } from './image';
export type { ImagePlan } from './image-plan';
export type { Answer, Failure } from './exchange/answer';
export type { MountedData } from './beside';
export type { HostPlan } from './host-plan';
