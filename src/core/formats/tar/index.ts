/** The tar format: reading archives that nobody vouches for. */
export { readTar, type TarEntry } from './reader';
