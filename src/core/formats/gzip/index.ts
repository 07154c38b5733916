/** The gzip format. */
export { gzip, GZIP_HEADER, gzipTrailer } from './gzip';
