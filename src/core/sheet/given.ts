/** What a function gets where it runs: its memory and its time, where neither the sheet nor the destination says. */
import type { Destination, FunctionSpec } from './model';

const DEFAULT_MEMORY = 128 * 1024 ** 2;
const DEFAULT_TIMEOUT_MS = 30_000;

/** Bytes. */
export function givenMemory(spec: FunctionSpec, destination: Destination | undefined): number {
  return spec.memoryBytes ?? Math.max(DEFAULT_MEMORY, destination?.memory.least ?? 0);
}

/** The time that one call gets, milliseconds. */
export function givenTimeMs(spec: FunctionSpec, destination: Destination | undefined): number {
  return spec.timeoutMs ?? Math.min(destination?.timeoutMostMs ?? DEFAULT_TIMEOUT_MS, DEFAULT_TIMEOUT_MS);
}
