/** The ELF format: what a binary says of itself. */
export { type ElfFile, glibcNeeded, isElf, MACHINES, readElf } from './elf';
export { stripDebugSections } from './strip';
