/** Envelopes for what is signed (Dead Simple Signing Envelope 1.0). */
import { createHash, sign, verify, type KeyObject } from 'node:crypto';
import { z } from 'zod';
import { jsonOf } from '../../base/json';
import type { PublicKey, SigningKey } from './keys';

const base64 = z.string().regex(/^(?:[A-Za-z0-9+/]{4})*(?:[A-Za-z0-9+/]{2}==|[A-Za-z0-9+/]{3}=)?$/);

const envelope = z.looseObject({
  payload: base64,
  payloadType: z.string().max(200),
  signatures: z
    .array(z.looseObject({ keyid: z.string().optional(), sig: base64 }))
    .min(1)
    .max(64),
});

export interface Envelope {
  readonly payloadType: string;
  readonly payload: Buffer;
  readonly signatures: readonly { readonly keyid?: string | undefined; readonly sig: Buffer }[];
}

/** What is signed: the type and the content, each with its length ("PAE"). */
export function preAuthEncoding(payloadType: string, payload: Uint8Array): Buffer {
  const type = Buffer.from(payloadType, 'utf8');
  const head = `DSSEv1 ${String(type.length)} ${payloadType} ${String(payload.length)} `;
  return Buffer.concat([Buffer.from(head, 'utf8'), payload]);
}

/** The bytes of an envelope that every one of the keys has signed. */
export function writeEnvelope(payloadType: string, payload: Buffer, keys: readonly SigningKey[]): string {
  const signed = preAuthEncoding(payloadType, payload);
  const signatures = keys.map((one) => ({
    keyid: keyIdOf(one),
    sig: sign(hashFor(one), signed, one.privateKey).toString('base64'),
  }));
  return `${JSON.stringify({ payloadType, payload: payload.toString('base64'), signatures }, null, 2)}\n`;
}

/** @returns undefined for what is none */
export function readEnvelope(text: string): Envelope | undefined {
  const read = envelope.safeParse(jsonOf(text));
  if (!read.success) return undefined;
  const { payload, payloadType, signatures } = read.data;
  return {
    payloadType,
    payload: Buffer.from(payload, 'base64'),
    signatures: signatures.map(({ keyid, sig }) => ({ keyid, sig: Buffer.from(sig, 'base64') })),
  };
}

/** Whether one of its signatures is that of a key. The name of a key in it is only a hint, and decides nothing. */
export function isSignedWith({ payloadType, payload, signatures }: Envelope, key: PublicKey): boolean {
  const signed = preAuthEncoding(payloadType, payload);
  return signatures.some(({ sig }) => holds(hashFor(key), signed, key.key, sig));
}

function holds(hash: string | null, bytes: Buffer, key: KeyObject, signature: Buffer): boolean {
  try {
    return verify(hash, bytes, key, signature);
  } catch {
    return false;
  }
}

function hashFor({ algorithm }: PublicKey): string | null {
  return algorithm === 'ed25519' ? null : 'sha256';
}

/** SHA-256 of the public key as X.509 writes it (RFC 5280, 4.1.2.7), in hexadecimal. */
export function keyIdOf({ key }: PublicKey): string {
  return createHash('sha256')
    .update(key.export({ type: 'spki', format: 'der' }))
    .digest('hex');
}
