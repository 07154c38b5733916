/** Assemblies of the Common Language Infrastructure (ECMA-335). */
export { readAssembly, type Assembly, type AssemblyName, type MethodInfo, type TypeInfo } from './assembly';
