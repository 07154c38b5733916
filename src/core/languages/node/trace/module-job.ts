/** One module to be read: compiled where it is no JavaScript yet, then read for its facts. */
import { compileFile, type CompileOptions } from '../compile/typescript';
import { NO_FACTS, type ModuleFacts } from './facts';
import { readModuleFacts } from './read-module';

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

export function readModuleJob({ path, text, format, compile }: ModuleJob): ReadModule {
  if (compile === undefined) return { facts: readModuleFacts(text, format) };
  const used = format ?? 'esm';
  const { code, map, fault } = compileFile(path, text, used, compile);
  if (fault === undefined) return { facts: readModuleFacts(code, used), code, ...(map !== undefined && { map }) };
  const facts = { format: used, ...NO_FACTS, fault };
  return { facts, code: '' };
}
