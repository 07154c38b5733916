/** How an image is run here: what runs it in a root folder of its own. */
import { EmballageError } from '../../core/base/errors';
import { printable } from '../../core/base/text';
import { withFileSource } from '../../core/disk/file-source';
import { readElf } from '../../core/formats/elf';
import type { Arch } from '../../core/sheet';
import { findEmulators } from '../../core/toolchains/emulator';
import { programsNamed } from '../../core/toolchains/programs';
import type { ImagePlan } from '../../standins/host';
import { ownArch } from '../session/machine';
import { remarkEmulated } from './native-run';
import type { Session } from '../session/session';

const MAX_EMULATOR_BYTES = 64 * 1024 * 1024;

/** @param session to remark on, where that is wanted */
export async function imageRun(arch: Arch, session: Session | undefined): Promise<ImagePlan> {
  const path = `${process.env.PATH ?? ''}:/usr/sbin:/usr/bin:/sbin:/bin`;
  const [unshare] = programsNamed(/^unshare$/, path);
  const [mount] = programsNamed(/^mount$/, path);
  if (unshare === undefined || mount === undefined)
    throw new EmballageError('TOOLCHAIN_MISSING', {
      doing: 'preparing to run the image',
      expected: '`unshare` and `mount`, which give it a root folder of its own',
      found: 'none on the PATH',
      mend: 'install util-linux',
    });
  if (arch === ownArch()) return { arch, unshare, mount };
  const emulators = findEmulators(process.env.PATH ?? '').filter((one) => one.arch === arch);
  for (const emulator of emulators)
    if (await isStatic(emulator.path)) {
      remarkEmulated(arch, session);
      return { arch, unshare, mount, emulator: emulator.path };
    }
  throw new EmballageError('TOOLCHAIN_MISSING', {
    doing: `looking for what runs ${arch} here`,
    expected: `an emulator of ${arch} that needs no libraries, since it runs inside the image`,
    found: emulators[0] === undefined ? 'none on the PATH' : `\`${printable(emulators[0].path)}\`, which needs some`,
    mend: `install Debian’s \`qemu-user-static\`, or build for ${ownArch()} too (\`arch\` in the sheet)`,
  });
}

function isStatic(path: string): Promise<boolean> {
  return withFileSource(path, path, (source) => {
    const elf = source.size > MAX_EMULATOR_BYTES ? undefined : readElf(source.read(0, source.size));
    return elf !== undefined && elf.interpreter === undefined;
  });
}
