import { createHash, generateKeyPairSync, sign } from 'node:crypto';
import {
  isSignedWith,
  isSshSignedWith,
  keyIdOf,
  preAuthEncoding,
  readEnvelope,
  readSigningKey,
  readSshSignature,
  readVerifyingKey,
  writeEnvelope,
  writeSshSignature,
} from './';

const pems = (kind: 'ed25519' | 'ec', password?: string): { privatePem: string; publicPem: string } => {
  const { privateKey, publicKey } =
    kind === 'ec' ? generateKeyPairSync('ec', { namedCurve: 'P-256' }) : generateKeyPairSync('ed25519');
  const locked = password === undefined ? {} : { cipher: 'aes-256-cbc', passphrase: password };
  return {
    privatePem: privateKey.export({ type: 'pkcs8', format: 'pem', ...locked }).toString(),
    publicPem: publicKey.export({ type: 'spki', format: 'pem' }).toString(),
  };
};

const STATEMENT = Buffer.from('{"tides":4}');
const TYPE = 'application/vnd.in-toto+json';

describe('envelopes', () => {
  it('encode before signing as the standard’s own example does', () => {
    expect(preAuthEncoding('http://example.com/HelloWorld', Buffer.from('hello world')).toString()).toBe(
      'DSSEv1 29 http://example.com/HelloWorld 11 hello world',
    );
  });

  it.each(['ed25519', 'ec'] as const)('are signed and verified with %s keys', async (kind) => {
    const { privatePem, publicPem } = pems(kind);
    const text = writeEnvelope(TYPE, STATEMENT, [await readSigningKey(privatePem, undefined)]);
    const read = readEnvelope(text);
    const key = await readVerifyingKey(publicPem);
    if (read === undefined) throw new Error('no envelope');
    expect(read.signatures[0]?.keyid).toBe(keyIdOf(key));
    expect(isSignedWith(read, key)).toBe(true);
    expect(isSignedWith({ ...read, payload: Buffer.from('{"tides":5}') }, key)).toBe(false);
    expect(isSignedWith({ ...read, payloadType: 'application/json' }, key)).toBe(false);
    expect(isSignedWith(read, await readVerifyingKey(pems(kind).publicPem))).toBe(false);
    // The name of a key is a hint and nothing more.
    const [one] = read.signatures;
    expect(isSignedWith({ ...read, signatures: [{ sig: one?.sig ?? Buffer.alloc(0), keyid: 'another' }] }, key)).toBe(
      true,
    );
  });

  it('of Ed25519 are the same every time', async () => {
    const key = await readSigningKey(pems('ed25519').privatePem, undefined);
    expect(writeEnvelope(TYPE, STATEMENT, [key])).toBe(writeEnvelope(TYPE, STATEMENT, [key]));
  });

  it.each([
    '',
    '{}',
    '[]',
    '{"payload":"###","payloadType":"a","signatures":[{"sig":"AA=="}]}',
    '{"payload":"AA==","payloadType":"a","signatures":[]}',
  ])('are not read from %j', (text) => {
    expect(readEnvelope(text)).toBeUndefined();
  });
});

describe('keys', () => {
  it('that are locked want their password', async () => {
    const { privatePem } = pems('ec', 'spring tide');
    await expect(readSigningKey(privatePem, 'spring tide')).resolves.toMatchObject({ algorithm: 'ecdsa-p256' });
    await expect(readSigningKey(privatePem, 'neap tide')).rejects.toThrow('another one, which does not unlock it');
    await expect(readSigningKey(privatePem, undefined)).rejects.toThrow('none given');
  });

  it('of other kinds are refused', async () => {
    const rsa = generateKeyPairSync('rsa', { modulusLength: 1024 });
    const p384 = generateKeyPairSync('ec', { namedCurve: 'P-384' });
    const text = (key: typeof rsa.privateKey): string => key.export({ type: 'pkcs8', format: 'pem' }).toString();
    await expect(readSigningKey(text(rsa.privateKey), undefined)).rejects.toThrow('rsa');
    await expect(readSigningKey(text(p384.privateKey), undefined)).rejects.toThrow('secp384r1');
    await expect(readSigningKey(pems('ec').publicPem, undefined)).rejects.toThrow('a public key');
    await expect(readSigningKey('the tide', undefined)).rejects.toThrow('something else');
    await expect(readVerifyingKey(pems('ec').privatePem)).rejects.toThrow('a private one');
    await expect(readVerifyingKey('ssh-ed25519 AAAA')).rejects.toThrow('cannot be read');
  });
});

describe('signatures of SSH', () => {
  it.each(['ed25519', 'ec'] as const)('are of the content, and of the key (%s)', async (kind) => {
    const { privatePem, publicPem } = pems(kind);
    const key = { ...(await readSigningKey(privatePem, undefined)), ssh: Buffer.from('a key as SSH writes it') };
    const read = readSshSignature(writeSshSignature(STATEMENT, key));
    if (read === undefined) throw new Error('no signature');
    expect(isSshSignedWith(read, STATEMENT, await readVerifyingKey(publicPem))).toBe(true);
    expect(isSshSignedWith(read, Buffer.from('other'), await readVerifyingKey(publicPem))).toBe(false);
    expect(isSshSignedWith({ ...read, namespace: 'git' }, STATEMENT, await readVerifyingKey(publicPem))).toBe(false);
    expect(isSshSignedWith(read, STATEMENT, await readVerifyingKey(pems(kind).publicPem))).toBe(false);
  });

  it('that are cut off or something else are none', async () => {
    const key = { ...(await readSigningKey(pems('ed25519').privatePem, undefined)), ssh: Buffer.alloc(51) };
    const text = writeSshSignature(STATEMENT, key);
    expect(readSshSignature(text.replace(/.{40}\n/, '\n'))).toBeUndefined();
    expect(readSshSignature('-----BEGIN SSH SIGNATURE-----\nAAAA\n-----END SSH SIGNATURE-----\n')).toBeUndefined();
    expect(
      readSshSignature(
        createHash('sha256')
          .update(sign(null, STATEMENT, key.privateKey))
          .digest('hex'),
      ),
    ).toBeUndefined();
  });
});
