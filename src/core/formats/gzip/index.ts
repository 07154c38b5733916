/** The gzip format. */
export { gzip, GZIP_HEADER, gzipTrailer, isGzip } from './gzip';
