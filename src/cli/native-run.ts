/** How an executable is run here: by itself, or under an emulator with the C library of its processor. */
import { join } from 'node:path';
import { EmballageError } from '../core/base/errors';
import { printable } from '../core/base/text';
import { withFileSource } from '../core/disk/file-source';
import { readElf } from '../core/formats/elf';
import { readSubject } from '../core/pipeline/check';
import { artifactPath, type Project, type Target } from '../core/project/targets';
import type { Arch } from '../core/sheet';
import { findEmulators, SYSROOT_PACKAGES } from '../core/toolchains/emulator';
import type { Waybill } from '../core/waybill';
import type { HostPlan } from '../standins/host';
import { ownArch } from './machine';
import type { Session } from './session';

const MAX_BYTES = 1024 * 1024 * 1024;

/** @param session to remark on, where that is wanted */
export async function nativeRun(
  project: Project,
  { spec, arch }: Target,
  waybill: Waybill,
  session: Session | undefined,
): Promise<Pick<HostPlan, 'emulator'>> {
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
  const loader = await loaderOf(project, { spec, arch }, waybill);
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
function loaderOf(project: Project, target: Target, waybill: Waybill): Promise<string | undefined> {
  const shown = artifactPath(target);
  const path = join(project.root, shown);
  const { file } = waybill.entry.loads;
  return withFileSource(path, shown, async (source) => {
    const subject = await readSubject(source, { path, shown, isVerified: true }, file);
    const bytes = subject.readBytes(file, MAX_BYTES);
    return bytes === undefined ? undefined : readElf(bytes)?.interpreter;
  });
}
