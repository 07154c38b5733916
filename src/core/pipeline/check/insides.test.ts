import { formOf } from '../../forms';
import { generateKeyPairSync } from 'node:crypto';
import type { Subject } from '../../findings/rule';
import { insidesOf } from './insides';

const MIB = 1024 * 1024;
/** A key of its own for each place. */
const keyOf = (): string =>
  generateKeyPairSync('rsa', { modulusLength: 1024 }).privateKey.export({ type: 'pkcs8', format: 'pem' }).toString();

/** A text of 80 MiB in lines of 64 bytes, with a secret at some places. */
function subjectOf(places: readonly number[]): Subject {
  const keys = places.map(keyOf);
  const line = Buffer.from(`${'tide '.repeat(12)}abc\n`);
  function* pieces(): Generator<Uint8Array> {
    for (let at = 0; at < 80 * MIB; at += MIB) {
      const piece = Buffer.alloc(MIB, line);
      for (const [i, place] of places.entries()) {
        const text = Buffer.from(keys[i] ?? '');
        const from = place - at;
        if (from > -text.length && from < MIB)
          piece.set(text.subarray(Math.max(0, -from), MIB - from), Math.max(0, from));
      }
      yield piece;
    }
  }
  const entries = [{ path: 'levels.txt', kind: 'file' as const, mode: 0o644, size: 80 * MIB }];
  const whole = (): never => {
    throw new Error('read whole');
  };
  return {
    form: formOf('zip'),
    packedBytes: 1,
    entries,
    faults: [],
    readText: () => undefined,
    readBytes: whole,
    pieces,
  };
}

it('files of any size are looked through, where windows meet as well', async () => {
  // Windows are of 16 MiB and overlap by 64 KiB: within the first one, where it ends, and in a later one.
  const places = [640, 16 * MIB - 320, 70 * MIB];
  const { secrets } = await insidesOf({ subject: subjectOf(places), facts: {}, state: undefined });
  expect(secrets.map(({ path }) => path)).toEqual(places.map(() => 'levels.txt'));
  expect(secrets[0]?.line).toBe(11);
  // The text of a secret has fewer bytes a line than the others.
  expect(secrets[1]?.line).toBeGreaterThan((16 * MIB - 320) / 64);
  expect(secrets[2]?.line).toBeGreaterThan((70 * MIB) / 64);
});
