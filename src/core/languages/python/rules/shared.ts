/** What rules about Python share. */
import type { FunctionFacts, Subject } from '../../../findings/rule';
import type { LanguageView } from '../../../findings/view';
import type { PythonArtifact } from '../view/artifact-view';

/** The artifact as Python sees it. */
export interface PythonLanguageView extends LanguageView {
  readonly artifact: PythonArtifact;
}

/** What the language sees of an artifact; undefined for one of another language. */
export function artifactOf({ view }: Subject): PythonArtifact | undefined {
  return (view as PythonLanguageView | undefined)?.artifact;
}

/** Files whose imports and settings are the function's own business. */
export function ownModules(artifact: PythonArtifact, { waybill }: Pick<FunctionFacts, 'waybill'>): string[] {
  if (waybill === undefined) return artifact.ownModules;
  return waybill.files
    .filter(({ path, origin }) => origin.from === 'source' && path.endsWith('.py'))
    .map(({ path }) => path);
}

/** The version of Python that the function is for, `3.11`. */
export function pythonOf({ runtime }: FunctionFacts): string | undefined {
  return runtime?.language === 'python' ? runtime.version : undefined;
}
