/** Assemblies of the Common Language Infrastructure (ECMA-335). */
export type { ForeignCall } from './bodies';
export { readAssembly, type Assembly, type AssemblyName, type MethodInfo, type TypeInfo } from './assembly';
export { readBundle, type BundledFile } from './bundle';
export { symbolsId } from './symbols';
