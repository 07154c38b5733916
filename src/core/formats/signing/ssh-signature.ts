/** Signatures as SSH makes them of files (OpenSSH, PROTOCOL.sshsig), which `ssh-keygen -Y verify` reads. */
import { createHash, sign, verify } from 'node:crypto';
import type { PublicKey, SigningKey } from './keys';

/** What the signature is for, so that one of something else is never taken for it. */
export const SSH_NAMESPACE = 'papers@emballage';

const MAGIC = Buffer.from('SSHSIG', 'latin1');
const VERSION = 1;
const HASH = 'sha512';
const [BEGIN, END] = ['-----BEGIN SSH SIGNATURE-----', '-----END SSH SIGNATURE-----'];
const MOST_BYTES = 16 * 1024;

/** @param key one that is kept as SSH keeps it */
export function writeSshSignature(content: Buffer, key: SigningKey & { readonly ssh: Buffer }): string {
  const signed = signedData(SSH_NAMESPACE, HASH, content);
  const own =
    key.algorithm === 'ed25519'
      ? [string('ssh-ed25519'), string(sign(null, signed, key.privateKey))]
      : [
          string('ecdsa-sha2-nistp256'),
          string(pairOf(sign('sha256', signed, { key: key.privateKey, dsaEncoding: 'ieee-p1363' }))),
        ];
  const version = Buffer.alloc(4);
  version.writeUInt32BE(VERSION);
  const blob = Buffer.concat([
    MAGIC,
    version,
    string(key.ssh),
    string(SSH_NAMESPACE),
    string(''),
    string(HASH),
    string(Buffer.concat(own)),
  ]);
  const lines = blob.toString('base64').match(/.{1,70}/g) ?? [];
  return `${[BEGIN, ...lines, END].join('\n')}\n`;
}

export interface SshSignature {
  readonly publicKey: Buffer;
  readonly namespace: string;
  readonly hash: string;
  /** Of the algorithm, and its own bytes. */
  readonly algorithm: string;
  readonly signature: Buffer;
}

/** @returns undefined for what is none */
export function readSshSignature(text: string): SshSignature | undefined {
  const body = new RegExp(`^\\s*${BEGIN}\\s+([A-Za-z0-9+/=\\s]+?)\\s+${END}\\s*$`).exec(text.slice(0, MOST_BYTES))?.[1];
  if (body === undefined) return undefined;
  const reader = new Reader(Buffer.from(body.replace(/\s+/g, ''), 'base64'));
  try {
    if (!reader.take(MAGIC.length).equals(MAGIC) || reader.uint32() !== VERSION) return undefined;
    const publicKey = reader.string();
    const namespace = reader.string().toString('utf8');
    reader.string();
    const hash = reader.string().toString('latin1');
    const inner = new Reader(reader.string());
    return { publicKey, namespace, hash, algorithm: inner.string().toString('latin1'), signature: inner.string() };
  } catch {
    return undefined;
  }
}

/** Whether it is of that content, for our purpose, and by that key. */
export function isSshSignedWith(one: SshSignature, content: Buffer, key: PublicKey): boolean {
  const { namespace, hash, algorithm, signature } = one;
  if (namespace !== SSH_NAMESPACE || (hash !== 'sha512' && hash !== 'sha256')) return false;
  const signed = signedData(namespace, hash, content);
  try {
    if (key.algorithm === 'ed25519') return algorithm === 'ssh-ed25519' && verify(null, signed, key.key, signature);
    if (algorithm !== 'ecdsa-sha2-nistp256') return false;
    const pair = new Reader(signature);
    const plain = Buffer.concat([fixed(pair.string()), fixed(pair.string())]);
    return verify('sha256', signed, { key: key.key, dsaEncoding: 'ieee-p1363' }, plain);
  } catch {
    return false;
  }
}

function signedData(namespace: string, hash: string, content: Buffer): Buffer {
  const digest = createHash(hash).update(content).digest();
  return Buffer.concat([MAGIC, string(namespace), string(''), string(hash), string(digest)]);
}

/** RFC 4251, 5: a length and so many bytes. */
function string(value: string | Buffer): Buffer {
  const bytes = typeof value === 'string' ? Buffer.from(value, 'utf8') : value;
  const length = Buffer.alloc(4);
  length.writeUInt32BE(bytes.length);
  return Buffer.concat([length, bytes]);
}

/** RFC 5656, 3.1.2: two numbers, each without needless zeros, and with one where it would be negative. */
function pairOf(plain: Buffer): Buffer {
  return Buffer.concat([plain.subarray(0, 32), plain.subarray(32)].map((one) => string(number(one))));
}

function number(bytes: Buffer): Buffer {
  let from = 0;
  while (from < bytes.length - 1 && bytes[from] === 0) from += 1;
  const short = bytes.subarray(from);
  return ((short[0] ?? 0) & 0x80) === 0 ? short : Buffer.concat([Buffer.from([0]), short]);
}

function fixed(bytes: Buffer): Buffer {
  const plain = bytes.length > 32 ? bytes.subarray(bytes.length - 32) : bytes;
  return Buffer.concat([Buffer.alloc(32 - plain.length), plain]);
}

class Reader {
  readonly #bytes: Buffer;
  #at = 0;

  constructor(bytes: Buffer) {
    this.#bytes = bytes;
  }

  take(length: number): Buffer {
    if (length > this.#bytes.length - this.#at) throw new RangeError('cut off');
    this.#at += length;
    return this.#bytes.subarray(this.#at - length, this.#at);
  }

  uint32(): number {
    return this.take(4).readUInt32BE();
  }

  string(): Buffer {
    return this.take(this.uint32());
  }
}
