/** The ELF format: what a binary says of itself. */
export { type ElfFile, glibcNeeded, MACHINES, readElf, readElfOrFault } from './elf';
export { ET, isElf, PF, PT, readHeader, readSections, type Section } from './header';
export { readProperties, type ElfProperties } from './properties';
export { debugBytes, type Piece, planStrip, type Strip, stripElf, type StripPlan } from './strip';
export { type ElfLayout, type ElfSymbol, readElfLayout } from './symbol-table';
export { sectionAt, symbolsNeeding } from './symbols';
