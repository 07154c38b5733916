/** The gzip format. */
export { gzip } from './gzip';
