/** Compilers of native code and emulators as they are shown: what is here, for which processors, what is missing. */
import { baseOf } from '../../core/base/paths';
import { listed } from '../../core/base/text';
import { fitsToolchain } from '../../core/languages/compiled/choose-compiler';
import { ARCHITECTURES, type Arch, type FunctionSpec } from '../../core/sheet';
import { C_PACKAGES } from '../../core/languages/compiled/c-compilers';
import type { Emulator } from '../../core/toolchains/emulator';
import { SYSROOT_PACKAGES } from '../../core/toolchains/emulator';
import type { NativeToolchains } from '../../core/toolchains/machine';
import { rustMend, rustTriple, type RustToolchain } from '../../core/languages/rust/toolchain';
import type { Paint } from './paint';

export function nativeRows(
  { rust, go, c }: NativeToolchains,
  emulators: readonly Emulator[],
  paint: Paint,
): string[][] {
  const row = (language: string, version: string, path: string, does: string, what: string): string[] => [
    paint.bold(language),
    version,
    paint.name(path),
    does,
    what,
  ];
  return [
    ...rust.map((one) => row('rust', one.version, one.path, 'compiles for', listed(rustArchs(one)) || 'no Linux here')),
    ...go.map(({ version, path }) => row('go', version, path, 'compiles for', listed(ARCHITECTURES))),
    ...c.map((one) => {
      const more = [
        one.libc === 'musl' ? 'with musl' : '',
        one.cxx === undefined ? 'without C++' : '',
        one.hasStatic ? '' : 'dynamic only',
      ];
      const what = [one.arch, ...more.filter((text) => text !== '')].join(', ');
      return row(one.compiler, one.version, one.path, 'compiles for', what);
    }),
    ...emulators.map(({ arch, path, sysroot }) =>
      row(
        baseOf(path),
        '',
        path,
        'runs executables for',
        `${arch}${sysroot === undefined ? ', static ones' : `, with the C library in ${sysroot}`}`,
      ),
    ),
  ];
}

function rustArchs({ targets }: RustToolchain): string[] {
  return ARCHITECTURES.filter((arch) => targets.includes(rustTriple(arch, 'glibc')));
}

/** What cannot be compiled or run here, and how to get it. */
export function missingNatives(
  { rust, go, c }: NativeToolchains,
  emulators: readonly Emulator[],
  own: Arch,
): (readonly [what: string, mend: string])[] {
  const missing: (readonly [string, string])[] = [];
  if (go.length === 0) missing.push(['Go', 'install Debian’s `golang-go`']);
  if (rust.length === 0) missing.push(['Rust', 'install Debian’s `rustc` and `cargo`']);
  for (const arch of ARCHITECTURES) {
    if (rust.length > 0 && !rust.some((one) => rustArchs(one).includes(arch)))
      missing.push([`Rust for ${arch}`, rustMend(arch)]);
    if (!c.some((one) => one.arch === arch))
      missing.push([`C for ${arch}`, `install Debian’s \`${arch === own ? 'gcc' : C_PACKAGES[arch]}\``]);
    if (arch === own) continue;
    const emulator = emulators.find((one) => one.arch === arch);
    if (emulator === undefined) missing.push([`running ${arch}`, 'install Debian’s `qemu-user-static`']);
    else if (emulator.sysroot === undefined)
      missing.push([`the C library of ${arch}`, `install Debian’s \`${SYSROOT_PACKAGES[arch]}\``]);
  }
  return missing;
}

/** Whether a function can be compiled here, for all its processors. */
export function lookUpNative({ runtime, native, archs }: FunctionSpec, { rust, go, c }: NativeToolchains) {
  const asked = native?.toolchain;
  const fits = ({ version }: { readonly version: string }): boolean => fitsToolchain(asked, version);
  const paths = (arch: Arch): string | undefined => {
    if (runtime.language === 'rust') return rust.find((one) => fits(one) && rustArchs(one).includes(arch))?.path;
    if (runtime.language === 'go') return go.find(fits)?.path;
    return c.find((one) => one.arch === arch && fits(one) && (asked === undefined || one.compiler === asked.compiler))
      ?.path;
  };
  const open = archs.filter((arch) => paths(arch) === undefined);
  const [first] = archs;
  const mend =
    open.length === 0 ? '' : `no compiler ${asked === undefined ? '' : `\`${asked.text}\` `}for ${listed(open)}`;
  return {
    runtime: asked?.text ?? runtime.text,
    found: open.length === 0,
    path: (first === undefined ? undefined : paths(first)) ?? null,
    mend,
  };
}
