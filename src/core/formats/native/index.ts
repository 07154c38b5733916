/** Compiled files of every kind: what they are for, and what they ask for. */
export { type ArMember, arMembers, isAr } from './ar';
export { type NativeInfo, type NativeMachine, type NativeReading } from './model';
export { describeElf, readNative } from './read';
