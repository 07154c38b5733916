/** `stand-in host`: a host of functions on this machine, that enforces a destination. */
import { resolve } from 'node:path';
import { readFileSync } from 'node:fs';
import { EmballageError } from '../../core/base/errors';
import { parseTime } from '../../core/base/units';
import { KNOWN } from '../../core/known';
import { formOf } from '../../core/forms';
import { ARCHITECTURES, readRuntime, type Arch, type Destination } from '../../core/sheet';
import type { HostPlan } from '../../standins/host';
import { startHost, type HostFault, type VersionToRun } from '../../standins/service';
import { planArtifact } from './calling';
import { text, wholeNumber, type Arguments } from '../commands/command';
import { findDestination } from '../delivering/destination-word';
import { ownArch } from '../session/machine';
import { portTrouble } from './port-trouble';
import type { Session } from '../session/session';

const MOST_INSTANCES = 1000;

export interface HostToServe {
  readonly folder: string;
  readonly port: number;
  readonly misbehave: HostFault | undefined;
  readonly login: string | undefined;
}

/** @returns what ends it */
export async function serveHost(
  { folder, port, misbehave, login }: HostToServe,
  args: Arguments,
  session: Session,
): Promise<() => Promise<void>> {
  const destination = await findDestination(text(args, 'destination'), session, '--destination');
  const instances = wholeNumber(args.instances, '--instances', 1, MOST_INSTANCES);
  const idleMs = idleFrom(text(args, 'idle') ?? '');
  try {
    const host = await startHost({
      folder: resolve(session.cwd, folder),
      destination,
      port,
      instances,
      idleMs,
      ...(misbehave !== undefined && { misbehave }),
      ...(login !== undefined && { login }),
      machine: session.machine(),
      now: () => session.now(),
      plan: (version) => planVersion(version, destination, session),
      onRequest: (line) => {
        if (session.verbose) session.remark(line);
      },
    });
    const { paint } = session;
    session.document({ url: host.url, destination: destination.name });
    session.say(`a host like ${paint.bold(destination.name)} at ${paint.name(host.url)}`);
    session.tell(
      `\n${paint.dim('Interrupt this command to end it. Name it in the destination:')} ${paint.bold(`deliver: { host: "${host.url}" }`)}`,
    );
    return () => host.close();
  } catch (error) {
    throw portTrouble(error, 'starting the stand-in host', port);
  }
}

/** The plan for running a version: for this machine’s processor where there is an artifact for it. */
function planVersion(version: VersionToRun, destination: Destination, session: Session): Promise<HostPlan> {
  const { name, text: kept, env, beside, pathOf } = version;
  const runtime = readRuntime(kept.runtime, KNOWN);
  const arch = archOf(Object.keys(kept.artifacts));
  const artifact = kept.artifacts[arch];
  if (runtime === undefined || artifact === undefined) throw new Error(`nothing to run of ${name}`);
  const { loads, adapter, shape } = kept;
  const form = formOf(kept.form);
  return planArtifact(
    {
      artifact: pathOf(artifact.sha256),
      shown: `${name}${form.fileEnding}`,
      arch,
      loads,
      destination,
      env,
      beside,
      spec: {
        name,
        form,
        runtime,
        ...(adapter !== undefined && { adapter }),
        ...(shape !== undefined && { shape }),
      },
      files: filesIn(pathOf(artifact.waybill)),
      memoryBytes: kept.memory,
      timeoutMs: kept.timeout,
    },
    session,
    undefined,
  );
}

function archOf(archs: readonly string[]): Arch {
  const own = ownArch();
  return archs.includes(own) ? own : (ARCHITECTURES.find((arch) => archs.includes(arch)) ?? own);
}

/** Paths of the files that a waybill lists. */
function filesIn(path: string): { readonly path: string }[] {
  const { files = [] } = JSON.parse(readFileSync(path, 'utf8')) as { files?: { path: string }[] };
  return files.map((one) => ({ path: one.path }));
}

function idleFrom(value: string): number {
  const ms = parseTime(value);
  if (ms !== undefined) return ms;
  throw new EmballageError('USAGE', {
    doing: 'reading the command line',
    where: '--idle',
    expected: 'a time such as "30 s"',
    found: `\`${value}\``,
    mend: 'write a number with ms, s, min or h',
  });
}
