import { safeRuleFor } from './trim-safe';

const NOTHING = { tests: false, stubs: false, docs: false };

describe('of a package goes, without a change in what it does', () => {
  it.each([
    ['prebuilds/linux-x64/node.napi.node', undefined],
    ['prebuilds/linux-x64/node.napi.musl.node', 'other-platforms'],
    ['prebuilds/linux-x64/node.napi.glibc.node', undefined],
    ['prebuilds/linux-arm64/node.napi.armv8.node', 'other-platforms'],
    ['prebuilds/darwin-x64+arm64/node.napi.node', 'other-platforms'],
    ['lib/binding/napi-v6-linux-glibc-x64/addon.node', undefined],
    ['lib/binding/napi-v6-linux-musl-x64/addon.node', 'other-platforms'],
    ['canvas.linux-arm64-gnu.node', 'other-platforms'],
    ['canvas.linux-x64-gnu.node', undefined],
    ['canvas.win32-x64-msvc.node', 'other-platforms'],
    ['build/Release/addon.node', undefined],
    ['lib/linux/index.js', undefined],
    ['types.d.ts', 'stubs'],
  ])('%s: %s', (path, expected) => {
    const platform = { cpu: 'x64', libc: 'glibc' } as const;
    expect(safeRuleFor({ path, mentions: NOTHING, hasAddon: true, platform })).toBe(expected);
  });
});
