/** The work of functions that are compiled into executables: the same for all their languages. */
import type { LanguageView } from '../../findings/view';
import { joinInputs, NO_INPUTS } from '../../project/inputs';
import type { Rule } from '../../findings/rule';
import type { ViewRequest, Work } from '../language';
import type { CompiledLanguage } from './compiled-language';
import { isAmong } from './compile/files';
import { extraFiles, filesReadInputs, learnExtraFiles } from './compile/files-read';
import type { CompiledId } from './own';
import { entryStartName } from './rules/entry-start-name';
import { nativeDebugLeft } from './rules/native-debug-left';
import { nativeNotExecutable } from './rules/native-not-executable';
import { nativeStatic } from './rules/native-static';
import { reproPathLeak } from './rules/repro-path-leak';
import { executableRun } from './running';

/** About executables, whatever they were compiled from. */
export const EXECUTABLE_RULES: readonly Rule[] = [
  nativeStatic,
  nativeNotExecutable,
  nativeDebugLeft,
  reproPathLeak,
  entryStartName,
];

/** An executable does not say what its source read; that is known where it was compiled here. */
export function executableView({ facts }: Pick<ViewRequest, 'facts'>): Promise<LanguageView> {
  return Promise.resolve({ isProgram: true, settings: () => facts.waybill?.reads ?? [] });
}

/** The work of a compiled language, from what it says of itself. */
export function compiledWork<Id extends CompiledId>(language: CompiledLanguage<Id>): Work<Id> {
  return {
    needs: (project, spec) => (language.isSource(spec.entry.file) ? language.needs(project, spec) : undefined),
    settle: (request) => language.settle(request),
    fetchesWhenLocked: true,
    dependsOn: (project, spec) =>
      joinInputs(
        filesReadInputs(project, spec, (path) => isAmong(language.files, path)),
        { ...NO_INPUTS, files: language.isSource(spec.entry.file) ? language.lockFiles(project, spec) : [] },
      ),
    isMadeByProcessor: true,
    usesPrograms: (spec) => language.isSource(spec.entry.file),
    besides: { known: extraFiles, learn: learnExtraFiles },
    assemble: async (request, own) => (await import('./target')).assembleExecutable(language, request, own),
    view: executableView,
    rules: EXECUTABLE_RULES,
    run: {
      ...executableRun,
      found: (machine) => language.found(machine),
      lookUp: (machine, spec) => language.lookUp(machine, spec),
    },
  };
}
