/**
 * Runs an image without an engine: its layers are unpacked into a root folder, and its command runs in there, in
 * namespaces of its own (unshare(1)), as the user that the image names; root where only we ourselves may be anybody.
 */
import { spawnSync } from 'node:child_process';
import { chmodSync, copyFileSync, mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { EmballageError } from '../../core/base/errors';
import { printable } from '../../core/base/text';
import { openLayout } from '../../core/disk/unpack/layout-files';
import { openImage, type OpenImage } from '../../core/disk/unpack/open-image';
import { unpackImage } from '../../core/disk/unpack/unpack-image';
import { startedBy, userOf } from '../../core/findings/image';
import { chooseImage } from '../../core/forms/image';
import { layBeside } from './beside';
import { confineMeans, inNamespaces, isRoot, ownMounts, RUN_BESIDE } from './process/confine';
import type { HostPlan } from './host-plan';
import type { ImagePlan } from './image-plan';
import type { ProcessPlan } from './process/process-plan';

/** What runs inside: prepares the root, makes it read-only, and becomes the command. */
const SCRIPT = `set -e
mount=$1 unshare=$2 root=$3 wd=$4; shift 4
"$mount" --make-rprivate / 2>/dev/null || true
"$mount" --bind "$root" "$root"
if [ -d "$root/proc" ]; then "$mount" -t proc proc "$root/proc" 2>/dev/null || true; fi
for name in null zero full random urandom; do
  if [ -e "$root/dev/$name" ]; then "$mount" --bind "/dev/$name" "$root/dev/$name" 2>/dev/null || true; fi
done
if [ -d "$root/tmp" ]; then "$mount" -t tmpfs -o mode=1777,size=256m tmpfs "$root/tmp" 2>/dev/null || true; fi
"$mount" -o remount,bind,ro "$root" "$root" 2>/dev/null || true
set -- "$unshare" --root "$root" --wd "$wd" "$@"
`;

const EMULATOR = '.emulator';
const DEVICES = ['null', 'zero', 'full', 'random', 'urandom'];

export type ImageProcess = Pick<ProcessPlan, 'program' | 'args' | 'env' | 'isConfined'>;

/**
 * Unpacks an image below a folder.
 * @param artifact absolute path of its layout, and its name for messages
 * @param base absolute path of a folder of ours
 */
export async function prepareImage(
  { artifact, shown }: { readonly artifact: string; readonly shown: string },
  { arch, unshare, mount, emulator }: ImagePlan,
  { env, beside }: Pick<HostPlan, 'env' | 'beside'>,
  base: string,
): Promise<ImageProcess> {
  refuseWithoutRights(unshare);
  const layout = await openLayout(artifact, shown);
  const image = await openImage(layout, chooseImage(layout, arch), join(base, 'layers'));
  const root = join(base, 'root');
  try {
    mkdirSync(root, { mode: 0o755 });
    unpackImage(image, { folder: root, owners: isRoot() });
    furnish(root, image, emulator);
    const settings = { ...env, ...layBeside(beside, root, '/') };
    const command = commandOf(image, shown, emulator !== undefined);
    const workingFolder = image.config.run.workingDir || '/';
    const who = isRoot() ? identityOf(image, shown) : [];
    const means = confineMeans();
    const isConfined = 'means' in means;
    const outer = isConfined ? inNamespaces(means.means) : { program: unshare, args: ownMounts() };
    const run = `${SCRIPT}${isConfined ? RUN_BESIDE : 'exec "$@"\n'}`;
    const script = ['/bin/sh', '-c', run, 'sh', mount, unshare, root, workingFolder, ...who, '--', ...command];
    return {
      program: outer.program,
      args: [...outer.args, ...script],
      isConfined,
      env: { ...environmentOf(image), ...settings },
    };
  } finally {
    image.close();
  }
}

/** What the system says against running something in a root folder of its own; undefined where it lets us. */
export function whyNoRoot(unshare: string): string | undefined {
  const args = [...ownMounts(), '/bin/sh', '-c', 'true'];
  const { status, stderr } = spawnSync(unshare, args, { encoding: 'utf8' });
  return status === 0 ? undefined : (stderr.trim().split('\n')[0] ?? 'no');
}

function refuseWithoutRights(unshare: string): void {
  const found = whyNoRoot(unshare);
  if (found === undefined) return;
  throw new EmballageError('TOOLCHAIN_MISSING', {
    doing: 'preparing to run the image',
    expected: isRoot() ? 'permission to make mount namespaces' : 'permission to make user namespaces, or to be root',
    found: printable(found),
    mend: isRoot()
      ? 'allow it to this container (it needs the capability SYS_ADMIN), or try the image elsewhere'
      : 'allow user namespaces (sysctl kernel.unprivileged_userns_clone=1), or run it as root',
  });
}

/** What hosts put into every root: places for devices, processes and passing files, and the emulator where one is needed. */
function furnish(root: string, { tree }: OpenImage, emulator: string | undefined): void {
  for (const name of ['proc', 'dev', 'tmp'])
    if (tree.node(name) === undefined) mkdirSync(join(root, name), { mode: name === 'tmp' ? 0o1777 : 0o755 });
  const dev = tree.node('dev');
  if (dev === undefined || dev.head.kind === 'folder')
    for (const name of DEVICES) if (dev?.children?.has(name) !== true) writeFileSync(join(root, 'dev', name), '');
  if (emulator === undefined) return;
  copyFileSync(emulator, join(root, EMULATOR));
  chmodSync(join(root, EMULATOR), 0o755);
}

/** The command of the image; under an emulator the program that it names is found for it. */
function commandOf(image: OpenImage, shown: string, isEmulated: boolean): string[] {
  const { command, found } = startedBy(image);
  const [program = '', ...args] = command;
  if (found === undefined)
    throw new EmballageError('IMAGE_INVALID', {
      doing: 'preparing to run the image',
      where: printable(shown),
      expected: 'a command whose file is in the image (image/entry-missing)',
      found: program === '' ? 'none' : `\`${printable(program)}\`, which is not there`,
      mend: 'name a base that brings it, and build again',
    });
  const path = `/${found.path}`;
  if (!isEmulated) return [path, ...args];
  const start = image.read(found.node, 0, Math.min(256, found.node.head.size)).toString('latin1');
  const [interpreter, ...options] = start.startsWith('#!')
    ? (start.slice(2).split('\n')[0]?.trim().split(/\s+/) ?? [])
    : [];
  return interpreter === undefined
    ? [`/${EMULATOR}`, '-0', program, path, ...args]
    : [`/${EMULATOR}`, interpreter, ...options, path, ...args];
}

/** Who runs it. */
function identityOf(image: OpenImage, shown: string): string[] {
  const { uid, gid, isGroupUnknown } = userOf(image);
  if (uid === undefined || isGroupUnknown)
    throw new EmballageError('IMAGE_INVALID', {
      doing: 'preparing to run the image',
      where: printable(shown),
      expected: 'a user that the image knows',
      found: `\`${printable(image.config.run.user)}\``,
      mend: 'set `user` to numbers, such as `"65534:65534"`',
    });
  return ['--setgid', String(gid ?? 0), '--setuid', String(uid)];
}

function environmentOf({ config }: OpenImage): Record<string, string> {
  return Object.fromEntries(
    config.run.env.map((one) => {
      const equals = one.indexOf('=');
      return equals < 0 ? [one, ''] : [one.slice(0, equals), one.slice(equals + 1)];
    }),
  );
}
