/** Functions in JavaScript and TypeScript, run by Node.js. */
export { HTTP_ADAPTER_FILE, httpAdapterCode, httpAdapterEntry } from './adapter';
export { type MemberVerdict, type ReadText, findMember } from '../view/entry';
export { assembleNode } from './assemble';
export type { NodeAssembled, NodeFile, NodePlaced } from './assembly';
export { type NodeView, viewNodeArtifact } from '../view/artifact-view';
export { isCompiled, readFunctionCompiler, type FunctionCompiler } from '../compile/settings';
export { LinkMemory } from '../link/link-memory';
export { ownerOf } from '../view/owner';
export { missingExportMend } from '../view/module-exports';
export { ModuleBook } from '../trace/module-book';
export { ModulePool } from '../trace/threads/module-pool';
export { Modules } from '../trace/modules';
export type { Mentions } from './trim-safe';
export { allowsEngine, lowestMajor, requiresEsm } from '../locks/versions';
export { loadTypeScript } from '../compile/typescript';
