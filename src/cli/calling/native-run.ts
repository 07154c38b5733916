/** How an executable is run here: by itself, or under an emulator with the C library of its processor. */
import { EmballageError } from '../../core/base/errors';
import { printable } from '../../core/base/text';
import { readElf } from '../../core/formats/elf';
import { openForm } from '../../core/forms';
import type { Arch, FormFacts } from '../../core/sheet';
import { findEmulators, SYSROOT_PACKAGES } from '../../core/toolchains/emulator';
import type { HostPlan } from '../../standins/host';
import { ownArch } from '../session/machine';
import type { Session } from '../session/session';

const MAX_BYTES = 1024 * 1024 * 1024;

export interface Executable {
  readonly arch: Arch;
  /** Absolute path of the artifact, and its name for messages. */
  readonly path: string;
  readonly shown: string;
  readonly form: FormFacts;
  /** In the artifact, where that is an archive. */
  readonly file: string;
}

/** @param session to remark on, where that is wanted */
export async function nativeRun(
  executable: Executable,
  session: Session | undefined,
): Promise<Pick<HostPlan, 'emulator'>> {
  const { arch } = executable;
  if (arch === ownArch()) return {};
  const emulator = findEmulators(process.env.PATH ?? '').find((one) => one.arch === arch);
  const doing = `looking for what runs ${arch} here`;
  if (emulator === undefined)
    throw new EmballageError('TOOLCHAIN_MISSING', {
      doing,
      expected: `an emulator of ${arch}`,
      found: 'none on the PATH',
      mend: `install Debian’s \`qemu-user-static\`, or build for ${ownArch()} too (\`arch\` in the sheet)`,
    });
  const loader = await loaderOf(executable);
  if (loader !== undefined && emulator.sysroot === undefined && !emulator.isOfSystem)
    throw new EmballageError('TOOLCHAIN_MISSING', {
      doing,
      expected: `the C library of ${arch}, for \`${printable(loader)}\``,
      found: 'none here',
      mend: `install Debian’s \`${SYSROOT_PACKAGES[arch]}\`, or link with \`build: { linkage: static }\``,
    });
  remarkEmulated(arch, session);
  const { path, sysroot } = emulator;
  return { emulator: { program: path, ...(loader !== undefined && sysroot !== undefined && { sysroot }) } };
}

/** @param session to remark on, where that is wanted */
export function remarkEmulated(arch: Arch, session: Session | undefined): void {
  session?.remark(
    `${session.paint.doubt('note')}: ${arch} is run under an emulator here, so times and memory say little`,
  );
}

/** The program that loads its libraries; undefined for a static one. */
async function loaderOf({ path, shown, file, form }: Executable): Promise<string | undefined> {
  const opening = { path, shown, form, name: file, isVerified: true, scratch: '' };
  return (await openForm(form)).withSubject(opening, ({ readBytes }) => {
    const bytes = readBytes(file, MAX_BYTES);
    return Promise.resolve(bytes === undefined ? undefined : readElf(bytes)?.interpreter);
  });
}
