/** A stand-in for a host of functions, over HTTP. */
export { HOST_FAULTS, type HostFault } from './faults';
export type { VersionToRun } from './calls';
export { startHost, type HostOptions, type RunningHost } from './server';
