/** `try --profile`: where the time of a cold start goes. */
import { EmballageError } from '../../core/base/errors';
import type { NamedEvent } from '../../core/events';
import type { LoadCost } from '../../core/languages';
import type { Target } from '../../core/project/targets';
import { openHost, type Answer, type HostPlan } from '../../standins/host';

export interface StartProfile {
  /** Whether files of the artifact were in the memory of the system. */
  readonly isCold: boolean;
  readonly unpackMs: number;
  /** From the start of the process until loading begins. */
  readonly runtimeMs: number;
  readonly loadMs: number;
  readonly callMs: number;
  readonly costs: readonly LoadCost[];
  readonly answer: Answer;
}

/** Starts a function twice and calls it once each time: with its files in memory, and without. */
export async function profileStarts(
  { spec }: Target,
  plan: HostPlan,
  event: NamedEvent,
  own: readonly string[],
): Promise<StartProfile[]> {
  if (plan.image !== undefined || plan.run.profile === undefined)
    throw new EmballageError('USAGE', {
      doing: 'reading the command line',
      where: '--profile',
      expected: 'a function that a runtime loads from an archive',
      found: `\`artifact: ${spec.form.id}\` for \`${spec.runtime.text}\``,
      mend: 'leave it out: an executable loads itself, and an image is started as it is',
    });
  // The first start brings the runtime itself into memory; it is not counted.
  await profileStart(plan, event, { isCold: false, own });
  const warm = await profileStart(plan, event, { isCold: false, own });
  return [warm, await profileStart(plan, event, { isCold: true, own })];
}

async function profileStart(
  plan: HostPlan,
  event: NamedEvent,
  profile: NonNullable<HostPlan['profile']>,
): Promise<StartProfile> {
  const host = await openHost({ ...plan, profile });
  try {
    const { answer, startMs, callMs } = await host.call(event);
    const { unpackMs, loadMs = 0, costs } = await host.startCosts();
    const { isCold } = profile;
    return { isCold, unpackMs, runtimeMs: startMs - loadMs, loadMs, callMs, costs, answer };
  } finally {
    await host.close();
  }
}
