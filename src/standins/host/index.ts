/** The stand-in host: runs functions from their artifacts as a destination would. */
export { type NamedEvent, readEvent } from './event';
export { type CallReport, type HostPlan, openHost, type OpenHost, runInHost } from './host';
export { parseExact, writeExact } from './exact-json';
export { judgeResponse, statusOf } from './response';
export { type RunningService, serveFunction, type ServedCall } from './serve';
export { type ImagePlan, whyNoRoot } from './image';
export type { Answer, Failure } from './process';
