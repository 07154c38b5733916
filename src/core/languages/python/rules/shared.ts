/** What rules about Python share. */
import { pythonArtifact, type PythonArtifact } from '..';
import type { FunctionFacts, Subject } from '../../../findings/rule';

export const PYTHON = ['python'] as const;

/** The artifact as Python sees it. */
export function asPython(subject: Subject): PythonArtifact {
  return pythonArtifact(subject);
}

/** Files whose imports and settings are the function's own business. */
export function ownModules(subject: Subject, facts: FunctionFacts): string[] {
  const { waybill } = facts;
  if (waybill === undefined) return asPython(subject).ownModules;
  return waybill.files
    .filter(({ path, origin }) => origin.from === 'source' && path.endsWith('.py'))
    .map(({ path }) => path);
}

/** The version of Python that the function is for, `3.11`. */
export function pythonOf({ runtime }: FunctionFacts): string | undefined {
  return runtime?.language === 'python' ? runtime.version : undefined;
}
