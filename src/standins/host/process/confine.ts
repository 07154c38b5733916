/**
 * Holds a process back where the system allows it: namespaces of its own for processes and mounts (unshare(1)), so that
 * it sees nobody else's processes, may write only in a bounded file system in memory, and ends with all that it starts.
 */
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync } from 'node:fs';
import { constants } from 'node:os';
import { join } from 'node:path';

/** Where the system's own programs are: never those of somebody's PATH. */
const SYSTEM_FOLDERS = ['/usr/bin', '/usr/sbin', '/bin', '/sbin'];
/** What a function may write altogether: its scratch folder, and those for passing files and for shared memory. */
const MAX_WRITTEN_BYTES = 512 * 1024 * 1024;
/** The folder for passing files, which functions expect to be able to write in. */
const PASSING = '/tmp';

/** Absolute paths of the system's programs. */
export interface ConfineMeans {
  readonly unshare: string;
  readonly mount: string;
  readonly setpriv: string;
  readonly mkdir: string;
}

export interface Command {
  readonly program: string;
  readonly args: readonly string[];
}

export interface Confinement extends Command {
  /** Absolute path of our folder, in which the artifact is, and of the one in it that is the function's to write in. */
  readonly base: string;
  readonly scratch: string;
  /** User and group to become; undefined to stay who we are. */
  readonly user: number | undefined;
}

/**
 * Ends every script: runs what is left of the arguments beside the shell, which stays the first process of the namespace.
 * Were the function that one, signals that it does not expect would not end it. The shell keeps no input, tells nothing,
 * and leaves no settings of its own.
 */
export const RUN_BESIDE = `unset PWD OLDPWD SHLVL
exec 9<&0
"$@" <&9 9<&- &
exec 9<&- <&- 2>/dev/null
wait $!
exit $?
`;

/** Makes everything read-only except a file system in memory. Pairs of mounts and their flags come before the command. */
const SCRIPT = `set -e
mount=$1 mkdir=$2 base=$3 scratch=$4 size=$5 passing=$6 inside=$7; shift 7
"$mount" --make-rprivate /
"$mount" -t proc -o nosuid,nodev,noexec proc /proc
"$mount" -t tmpfs -o "nosuid,nodev,mode=755,size=$size" tmpfs "$base/writable"
"$mkdir" -m 1777 "$base/writable/passing" "$base/writable/shared" "$base/writable/scratch"
if [ "$passing" = kept ]; then "$mount" --rbind ${PASSING} ${PASSING}; fi
while [ "$1" != -- ]; do
  "$mount" -o "remount,bind,ro$2" "$1" 2>/dev/null || true
  shift 2
done
shift
"$mount" --rbind "$base" "$base"
"$mount" -o remount,bind,ro,nosuid,nodev "$base"
"$mount" --bind "$base/writable/scratch" "$scratch"
if [ -d /dev/shm ]; then "$mount" --bind "$base/writable/shared" /dev/shm; fi
if [ "$passing" = own ]; then
  if [ -n "$inside" ]; then
    "$mkdir" -p "$base/writable/passing/$inside"
    "$mount" --rbind "$base" "$base/writable/passing/$inside"
  fi
  "$mount" --rbind "$base/writable/passing" ${PASSING}
fi
${RUN_BESIDE}`;

/** Mounts of its own, for which others than root need a user namespace. */
export function ownMounts(): string[] {
  return [...(isRoot() ? [] : ['--user', '--map-root-user']), '--mount'];
}

/** Namespaces of its own: what is started in them ends with `unshare`, and that with us. */
export function inNamespaces({ setpriv, unshare }: Pick<ConfineMeans, 'setpriv' | 'unshare'>): Command {
  const own = [...ownMounts(), '--pid', '--fork', '--kill-child=KILL', '--'];
  return { program: setpriv, args: ['--pdeathsig', 'KILL', '--', unshare, ...own] };
}

/** The command that runs another in a confinement. Makes the folder that the file system in memory goes to. */
export function confined(means: ConfineMeans, { program, args, base, scratch, user }: Confinement): Command {
  mkdirSync(join(base, 'writable'), { mode: 0o755 });
  const { program: outer, args: namespaces } = inNamespaces(means);
  // A runtime that was installed there has to stay in sight.
  const passing = program.startsWith(`${PASSING}/`) && !program.startsWith(`${base}/`) ? 'kept' : 'own';
  const inside = base.startsWith(`${PASSING}/`) ? base.slice(PASSING.length + 1) : '';
  const script = [
    ...['/bin/sh', '-c', SCRIPT, 'sh', means.mount, means.mkdir, base, scratch, String(MAX_WRITTEN_BYTES)],
    ...[passing, inside, ...writableMounts(passing === 'kept' ? [PASSING] : []), '--'],
  ];
  // Not by the shell, which would leave its own settings to the function.
  const there = [means.unshare, '--wd', scratch, '--'];
  return { program: outer, args: [...namespaces, ...script, ...there, ...becoming(means, user), program, ...args] };
}

/** Gives up all rights, and never gains any; without root's, a user namespace in which we are who we were has none. */
function becoming({ setpriv, unshare }: ConfineMeans, user: number | undefined): string[] {
  if (!isRoot()) {
    const [uid, gid] = [process.getuid?.() ?? 0, process.getgid?.() ?? 0].map(String);
    return [setpriv, '--no-new-privs', '--', unshare, '--user', `--map-user=${uid}`, `--map-group=${gid}`, '--'];
  }
  const who = user === undefined ? [] : ['--reuid', String(user), '--regid', String(user), '--clear-groups'];
  return [setpriv, ...who, '--no-new-privs', '--inh-caps=-all', '--bounding-set=-all', '--'];
}

/** Kinds of file systems that hold no files of anybody's. */
const WITHOUT_FILES =
  /^(?:proc|sysfs|devtmpfs|devpts|cgroup2?|mqueue|tracefs|debugfs|securityfs|pstore|bpf|configfs|fusectl|hugetlbfs|autofs|binfmt_misc|rpc_pipefs|nsfs|efivarfs)$/;
/** Flags that a mount has to keep when it becomes read-only: whoever takes one away is refused. */
const KEPT_FLAGS = new Set(['nosuid', 'nodev', 'noexec', 'noatime', 'nodiratime', 'relatime']);

/** Every mount that can be written to, each followed by the flags that it has to keep (proc_pid_mountinfo(5)). */
function writableMounts(except: readonly string[]): string[] {
  return readFileSync('/proc/self/mountinfo', 'utf8')
    .split('\n')
    .flatMap((line) => {
      const [before = '', after = ''] = line.split(' - ');
      const [, , , , escaped = '', options = ''] = before.split(' ');
      const [kind = ''] = after.split(' ');
      const path = escaped.replace(/\\([0-7]{3})/g, (_, octal: string) => String.fromCharCode(parseInt(octal, 8)));
      const flags = options.split(',');
      if (path === '' || !flags.includes('rw') || WITHOUT_FILES.test(kind) || except.includes(path)) return [];
      return [path, flags.filter((flag) => KEPT_FLAGS.has(flag)).reduce((text, flag) => `${text},${flag}`, '')];
    });
}

let found: { readonly means: ConfineMeans } | { readonly why: string } | undefined;

/** What confines a process here, or why nothing does; asked of the system once. */
export function confineMeans(): { readonly means: ConfineMeans } | { readonly why: string } {
  found ??= lookForMeans();
  return found;
}

function lookForMeans(): { readonly means: ConfineMeans } | { readonly why: string } {
  const [unshare, mount, setpriv, mkdir] = ['unshare', 'mount', 'setpriv', 'mkdir'].map(inSystem);
  if (unshare === undefined || mount === undefined || setpriv === undefined || mkdir === undefined)
    return { why: 'no `unshare`, `mount` and `setpriv` (util-linux)' };
  const means = { unshare, mount, setpriv, mkdir };
  const { program, args } = inNamespaces(means);
  const script = '"$1" --make-rprivate / && "$1" -t proc -o nosuid,nodev,noexec proc /proc && shift && "$@"';
  const probe = ['/bin/sh', '-c', script, 'sh', mount, ...becoming(means, undefined), '/bin/sh', '-c', ':'];
  const { status, stderr } = spawnSync(program, [...args, ...probe], { encoding: 'utf8', env: {} });
  if (status === 0) return { means };
  return { why: stderr.trim().split('\n')[0] ?? 'they cannot be made' };
}

function inSystem(name: string): string | undefined {
  return SYSTEM_FOLDERS.map((folder) => join(folder, name)).find((path) => existsSync(path));
}

/** The name of the signal that ended a command, where a shell that waited for it gives a number for both. */
export function signalIn(code: number): NodeJS.Signals | undefined {
  const named = Object.entries(constants.signals).find(([, number]) => number === code - 128);
  return named?.[0] as NodeJS.Signals | undefined;
}

/** Whether we are root. */
export function isRoot(): boolean {
  return process.getuid?.() === 0;
}
