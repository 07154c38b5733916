/** How a file of the function is read as a module. */
import { readTextNow } from '../../../disk/to-read';
import type { NodeAssembleRequest, NodeFile } from './assembly';
import { isCompiled } from '../compile/settings';
import type { ModuleSource } from '../trace/modules';

/** Whether a path is of code that is run or compiled, by its ending. */
export function isCode(path: string): boolean {
  return /\.[cm]?[jt]sx?$/.test(path) && !isTypesOnly(path);
}

/** Whether a path is of declarations of types, which nothing runs. */
export function isTypesOnly(path: string): boolean {
  return /\.d\.[cm]?ts$/.test(path);
}

/** The text of a file of the artifact, as it was read or made. */
export function textOf(file: NodeFile): string {
  return readTextNow(file.source);
}

/** @param stated the format that its package and its ending state */
export function sourceOf(
  { compiler }: Pick<NodeAssembleRequest, 'compiler'>,
  file: NodeFile,
  stated: 'esm' | 'cjs' | undefined,
): ModuleSource {
  const { path, sha256 } = file;
  const text = (): string => textOf(file);
  if (compiler === undefined || !file.isOwn || !isCompiled(path)) return { path, text, sha256, format: stated };
  const format = stated ?? (compiler.isCommonJs || isWrittenAsCommonJs(text()) ? 'cjs' : 'esm');
  return { path, text, sha256, format, compile: compiler.options };
}

/** TypeScript that is meant for CommonJS says so in words of its own. */
function isWrittenAsCommonJs(text: string): boolean {
  return /^\s*(?:export\s*=|import\s+\w+\s*=\s*require\()/m.test(text);
}
