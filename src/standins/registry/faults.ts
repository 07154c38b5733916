/** How the stand-in registry may misbehave, one way at a time. */
export const REGISTRY_FAULTS = [
  'unauthorized',
  'busy',
  'failing',
  'flaky',
  'cut-downloads',
  'cut-uploads',
  'forgets-uploads',
  'wrong-digest',
  'short-blobs',
  'endless-blobs',
  'redirects-away',
  'lists-itself',
  'no-delete',
  'no-referrers',
] as const;
export type RegistryFault = (typeof REGISTRY_FAULTS)[number];

/** What has gone wrong so far, so that some things go wrong only once. */
export class FaultState {
  readonly fault: RegistryFault | undefined;
  readonly #done = new Set<string>();
  #requests = 0;

  constructor(fault: RegistryFault | undefined) {
    this.fault = fault;
  }

  countRequest(): number {
    return (this.#requests += 1);
  }

  /** Whether it is to go wrong now; for a key only the first time. */
  strikes(fault: RegistryFault, key: string): boolean {
    if (this.fault !== fault || this.#done.has(key)) return false;
    this.#done.add(key);
    return true;
  }
}
