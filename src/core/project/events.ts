/** The events that a sheet names for a function. */
import { join } from 'node:path';
import { EmballageError, type ErrorFacts } from '../base/errors';
import { readEvent, type CloudEvent } from '../events';
import type { FunctionSpec } from '../sheet';
import type { Project } from './targets';

/** An event, or why it cannot be read. */
export type EventFile =
  { readonly name: string; readonly event: CloudEvent } | { readonly name: string; readonly fault: ErrorFacts };

/** Paths relative to the project, in order. */
export async function eventPaths(project: Project, { events }: Pick<FunctionSpec, 'events'>): Promise<string[]> {
  if (events.length === 0) return [];
  const { glob } = await import('tinyglobby');
  const found = await glob([...events], { cwd: project.root, onlyFiles: true, expandDirectories: false });
  return found.sort();
}

/** @param time now, RFC 3339, for events that are wrapped */
export async function eventFiles(project: Project, spec: FunctionSpec, time: string): Promise<EventFile[]> {
  return (await eventPaths(project, spec)).map((name) => {
    try {
      return readEvent(join(project.root, name), name, time);
    } catch (error) {
      if (!(error instanceof EmballageError)) throw error;
      return { name, fault: error.facts };
    }
  });
}
