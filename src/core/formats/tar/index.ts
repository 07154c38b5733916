/** The tar format. */
export { type TarEntry, readTar } from './reader';
export { type TarMember, writeTar } from './writer';
