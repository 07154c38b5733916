/** Secrets in what is packed. */
export { contentsOf } from './contents';
export { scanBytes, type Hit } from './scan';
