/** Signatures: keys, envelopes, and what SSH makes of files. */
export { isSignedWith, keyIdOf, preAuthEncoding, readEnvelope, writeEnvelope, type Envelope } from './dsse';
export { isSshKey, KeyFault, readSigningKey, readVerifyingKey, type PublicKey, type SigningKey } from './keys';
export {
  isSshSignedWith,
  readSshSignature,
  SSH_NAMESPACE,
  writeSshSignature,
  type SshSignature,
} from './ssh-signature';
