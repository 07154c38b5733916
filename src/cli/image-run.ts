/** How an image is run here: what runs it in a root folder of its own, and where it comes from. */
import { existsSync, readdirSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { EmballageError } from '../core/base/errors';
import { printable } from '../core/base/text';
import { formatSize } from '../core/base/units';
import { withFileSource } from '../core/disk/file-source';
import { readElf } from '../core/formats/elf';
import { isPlainHttp, readLedger, standing } from '../core/pipeline/deliver';
import { fetchImage } from '../core/pipeline/image';
import type { Project, Target } from '../core/project/targets';
import type { Arch } from '../core/sheet';
import { findEmulators } from '../core/toolchains/emulator';
import { programsNamed } from '../core/toolchains/programs';
import type { ImagePlan } from '../standins/host';
import { ownArch } from './machine';
import { remarkEmulated } from './native-run';
import type { Session } from './session';

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

/** An image that was sent, fetched again by its digest. */
export interface SentImage {
  /** Absolute path of the layout, and its name for messages. */
  readonly artifact: string;
  readonly shown: string;
}

/**
 * Fetches what was sent last, by the digest in the ledger.
 * @param folder absolute path of a folder that is new or empty
 */
export async function fetchSent(
  project: Project,
  { spec, arch }: Target,
  folder: string,
  session: Session,
): Promise<SentImage> {
  const [delivery] = standing(readLedger(project), spec.name);
  const digest = delivery?.images[arch];
  if (delivery === undefined || digest === undefined)
    throw new EmballageError('USAGE', {
      doing: `fetching what was sent of ${spec.name}`,
      expected: `a delivery for ${arch} that stands`,
      found: 'none in the ledger',
      mend: `run \`${session.command(`send ${spec.name}`)}\` first`,
    });
  const registry = await session.registry(delivery.registry, isPlainHttp(project, delivery));
  const shown = `${delivery.registry}/${delivery.repository}@${digest}`;
  await fetchImage({
    ...{ registry, name: delivery.repository, digest, arch, folder },
    onProgress: (done, total) =>
      session.progress.show(`fetching ${spec.name}: ${formatSize(done)} of ${formatSize(total)}`),
  });
  session.tell(`${session.paint.dim('fetched')} ${session.paint.name(shown)}`);
  return { artifact: folder, shown };
}

/** The folder that a person names for it. */
export function intoFolder(into: string, session: Session): string {
  const folder = resolve(session.cwd, into);
  if (!existsSync(folder) || readdirSync(folder).length === 0) return folder;
  throw new EmballageError('USAGE', {
    doing: 'reading the command line',
    where: '--into',
    expected: 'a folder that is new or empty',
    found: `\`${printable(into)}\`, with something in it`,
    mend: 'name another',
  });
}

export function scratchLayout(scratch: string): string {
  return join(scratch, 'layout');
}
