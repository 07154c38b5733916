/** Lays an artifact out, and says how its process is started. */
import {
  chmodSync,
  chownSync,
  copyFileSync,
  existsSync,
  mkdirSync,
  readdirSync,
  statSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { basename, dirname, join } from 'node:path';
import { layBeside } from './beside';
import { confined, confineMeans } from './process/confine';
import type { HostPlan } from './host-plan';
import type { Speaks } from './exchange/messages';
import { freePort } from './ports';
import type { ProcessPlan } from './process/process-plan';

/** Who a function runs as when we are root, for whom read-only files are not read-only: nobody. */
const NOBODY = 65_534;

/** Unpacks the artifact; an executable by itself is run as it is, and so is what the runtime reads whole. @returns the folders that were made */
export async function putArtifact(plan: HostPlan, root: string): Promise<string[]> {
  const { unpack, run, program, file, artifact } = plan;
  const whole = program === undefined ? undefined : run.wholeAs;
  if (unpack !== undefined && whole === undefined) return unpack(root);
  const to = join(root, whole ?? file);
  copyFileSync(artifact, to);
  chmodSync(to, unpack === undefined ? 0o555 : 0o444);
  return [];
}

/**
 * The plan of the process that an artifact is called in.
 * @param base absolute path of its folder
 * @param root of what was laid out
 */
export async function prepare(plan: HostPlan, base: string, root: string, asNobody: boolean): Promise<ProcessPlan> {
  const scratch = join(base, 'scratch');
  mkdirSync(scratch);
  if (asNobody) {
    chmodSync(base, 0o755);
    chownSync(scratch, NOBODY, NOBODY);
  }
  const started =
    plan.program === undefined ? executable(plan, base, root) : withRunner(plan, plan.program, base, root);
  const user = asNobody ? NOBODY : undefined;
  const means = confineMeans();
  // What the runtime writes of its start is read in our own folder.
  const isConfined = 'means' in means && plan.profile === undefined;
  const { program, args } = started;
  return {
    ...started,
    ...(isConfined && confined(means.means, { program, args, base, scratch, user })),
    isConfined,
    ...(await howCalled(plan, started.speaks)),
    cwd: scratch,
    env: { ...plan.env, ...layBeside(plan.beside, base) },
    ...(user !== undefined && { user }),
    load: {
      ...(plan.profile !== undefined && { profile: true, own: plan.profile.own }),
      root,
      member: plan.member,
      name: plan.name,
      memory: plan.memoryBytes,
      ...plan.run.load({ root }, plan.file),
    },
    fullHeap: plan.run.fullHeap,
    memoryBytes: plan.memoryBytes,
    timeoutMs: plan.timeoutMs,
  };
}

/** How its process is called, with a port where it is to listen on one. */
export async function howCalled(
  { calls, shape }: HostPlan,
  speaks: Speaks,
): Promise<Pick<ProcessPlan, 'speaks' | 'calls' | 'isWeb' | 'port'>> {
  return { speaks, calls, isWeb: shape !== undefined, port: speaks === 'http' ? await freePort() : 0 };
}

type Started = Pick<ProcessPlan, 'speaks' | 'program' | 'args'>;

function executable({ emulator, file, calls }: HostPlan, base: string, root: string): Started {
  const path = join(root, file);
  const speaks = calls.native;
  if (emulator === undefined) return { speaks, program: path, args: [] };
  const { program, sysroot } = emulator;
  const args = sysroot === undefined ? [path] : ['-L', linkedSystem(base, sysroot), path];
  return { speaks, program, args };
}

/**
 * A system for an emulator, of links to one C library. The loader looks in folders that are named for its processor first,
 * and would find there what this machine may have of another version: a C library and a loader that do not fit each other.
 */
function linkedSystem(base: string, sysroot: string): string {
  const system = join(base, 'system');
  mkdirSync(join(system, 'lib'), { recursive: true });
  for (const name of readdirSync(join(sysroot, 'lib')))
    symlinkSync(join(sysroot, 'lib', name), join(system, 'lib', name));
  for (const folder of NAMED_FOLDERS)
    if (!existsSync(join(system, 'lib', folder))) symlinkSync('.', join(system, 'lib', folder));
  mkdirSync(join(system, 'usr'));
  symlinkSync('../lib', join(system, 'usr/lib'));
  symlinkSync('lib', join(system, 'lib64'));
  return system;
}

/** Names that distributions give folders of processors. */
const NAMED_FOLDERS = ['aarch64-linux-gnu', 'x86_64-linux-gnu'];

/** What the runtime writes of its start; in the one folder that is the function's to write in. */
export function traceIn(base: string): string {
  return join(base, 'scratch', '.start-trace');
}

function withRunner({ run, memoryBytes, profile }: HostPlan, program: string, base: string, root: string): Started {
  if (run.runner === undefined) throw new Error('a runtime without a runner');
  const runner = join(base, basename(run.runner));
  copyFileSync(run.runner, runner);
  chmodSync(runner, 0o644);
  for (const [name, text] of Object.entries(run.beside?.(root) ?? {})) writeFileSync(join(base, name), text);
  const traced = profile === undefined ? [] : (run.profile?.args(traceIn(base)) ?? []);
  return { speaks: 'runner', program, args: [...traced, ...run.args({ program, runner, root, memoryBytes })] };
}

/** Whether another user can start a program: it and every folder above it must be open. */
export function isOpenToAll(program: string): boolean {
  for (let path = program; ; path = dirname(path)) {
    if ((statSync(path).mode & 0o001) === 0) return false;
    if (path === dirname(path)) return true;
  }
}
