/** The stand-in registry. */
export { REGISTRY_FAULTS, type RegistryFault } from './faults';
export { type RegistryOptions, type RunningRegistry, startRegistry } from './server';
