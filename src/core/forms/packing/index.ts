/** How a file set becomes one file: read once, hashed, compressed in threads, kept by what went into it. */
export { directCompressor, THREADS_PAY_FROM_BYTES, type CompressedPiece, type Compressor } from './compress';
export { compressInThreads, compressorFor } from './compress-pool';
export { packZip, type Packed, type PackRequest } from './pack-zip';
export { Store, type StoredArtifact } from './store';
