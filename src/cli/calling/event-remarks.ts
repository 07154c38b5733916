/** Events of another shape than the function takes: told before it is called, and beside what fails for it. */
import { printable } from '../../core/base/text';
import { guessFailure, judgeEvent, writeExact, type CloudEvent, type NamedEvent, type Taken } from '../../core/events';
import type { Answer } from '../../standins/host';
import type { Session } from '../session/session';
import { lines } from '../views/error';

/** Says of each event what is not as the function takes it, with the event written right. */
export function remarkEvents(events: readonly NamedEvent[], taken: Taken, session: Session): void {
  const { paint } = session;
  for (const { name, event } of events) {
    const fault = judgeEvent(event, taken);
    if (fault === undefined) continue;
    const { expected, found, mend, right } = fault;
    session.remark(
      [
        `${paint.doubt('note')}: ${printable(name)} may not be what the function takes`,
        ...lines(paint, { expected, found, mend }),
        ...(right === undefined
          ? []
          : writeExact(right, 2)
              .split('\n')
              .map((line) => `      ${printable(line)}`)),
        '',
      ].join('\n'),
    );
  }
}

/** What a failure may have to do with its event. */
export async function guessOf(
  answer: Answer,
  event: CloudEvent,
  taken: () => Promise<Taken>,
): Promise<string | undefined> {
  if (answer.kind !== 'failed' || answer.failure.kind !== 'threw') return undefined;
  return guessFailure(answer.failure, event, await taken());
}
