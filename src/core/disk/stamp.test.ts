import { isRacy, sameStamp } from './stamp';

const stamp = { size: 1, mtimeMs: 1000.5, ctimeMs: 1000.5, ino: 7 };

describe('stamps', () => {
  it('differ when anything the system says differs', () => {
    expect(sameStamp(stamp, { ...stamp })).toBe(true);
    for (const key of ['size', 'mtimeMs', 'ctimeMs', 'ino'] as const)
      expect(sameStamp(stamp, { ...stamp, [key]: stamp[key] + 1 })).toBe(false);
  });

  it('are not trusted when the file is as new as the look at it', () => {
    expect(isRacy(stamp, 1010)).toBe(true);
    expect(isRacy(stamp, 1500)).toBe(false);
    // A file system that keeps whole seconds may hide a change for two of them.
    expect(isRacy({ ...stamp, mtimeMs: 1000, ctimeMs: 1000 }, 1500)).toBe(true);
  });
});
