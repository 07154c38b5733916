/** The tar format. */
export { paddedSize, type TarHead } from './entries';
export { BLOCK_BYTES, type TarKind } from './header';
export { listTar, type PlacedHead, type TarEntry, readTar } from './reader';
export { streamTar, type StreamedEntry } from './stream';
export { type HeadToWrite, TAR_END, tarHeader, tarPadding, type TarMember, writeTar } from './writer';
