/** Compiled files of every kind: what they are for, and what they ask for. */
export { type ArMember, arMembers, isAr } from './ar';
export { goFunctions, type GoFunction } from './go-functions';
export { readSymbolName, type SymbolName } from './mangling';
export { type NativeInfo, type NativeMachine, type NativeReading } from './model';
export { peOutline, type PeOutline } from './pe';
export { isPe, readPeHeaders, type PeHeaders } from './pe-headers';
export { describeElf, readNative } from './read';
