/** The zip format: writing archives that depend only on what goes in, reading ones that nobody vouches for. */
export { type ByteSource } from '../byte-source';
export { type DosTime, DOS_FLOOR, formatDosTime, toDosTime } from './dos-time';
export { type ZipFault, type ZipFaultCode, ZipFaultError, describeFault, mendFault } from './faults';
export { type ListedEntry, listEntries } from './listing';
export { METHOD_DEFLATED, METHOD_STORED } from './layout';
export { endsAsArtifact } from './mark';
export { type ZipArchive, type ZipEntry, type ZipLimits, entryChunks, findEntry, openZip, readEntry } from './reader';
export { type ZipMember, type ZipSink, ZipWriter, archiveName } from './writer';
