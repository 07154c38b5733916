/** One module to be read: compiled where it is no JavaScript yet, then read for its facts. */
import { compileFile, type CompileOptions } from '../../compile/typescript';
import { NO_FACTS, type ModuleFacts } from '../facts';
import { readModuleFacts } from '../read-module';

export interface ModuleJob {
  /** Path, for what its ending says and for messages. */
  readonly path: string;
  readonly text: string;
  /** Undefined where the syntax decides. */
  readonly format: 'esm' | 'cjs' | undefined;
  /** Given for what has to be compiled. */
  readonly compile?: CompileOptions;
}

export interface ReadModule {
  readonly facts: ModuleFacts;
  /** The compiled text, where it was compiled. */
  readonly code?: string;
  /** Its source map, JSON. */
  readonly map?: string;
}

/** What is said of code that needs more stack than there is. */
export const TOO_DEEP = 'nested too deeply to be read';

/** How much code can be nested depends on the stack of the thread: one that has more may read it all the same. */
export function readModuleJob(job: ModuleJob): ReadModule {
  try {
    return readJob(job);
  } catch (error) {
    if (!(error instanceof RangeError)) throw error;
    const fault = { line: 1, column: 1, message: TOO_DEEP, text: '' };
    return { facts: { format: job.format ?? 'cjs', ...NO_FACTS, fault } };
  }
}

function readJob({ path, text, format, compile }: ModuleJob): ReadModule {
  if (compile === undefined) return { facts: readModuleFacts(text, format) };
  const used = format ?? 'esm';
  const { code, map, fault } = compileFile(path, text, used, compile);
  if (fault === undefined) return { facts: readModuleFacts(code, used), code, ...(map !== undefined && { map }) };
  const facts = { format: used, ...NO_FACTS, fault };
  return { facts, code: '' };
}
