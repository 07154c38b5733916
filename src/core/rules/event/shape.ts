import { printable } from '../../base/text';
import { judgeEvent, writeExact } from '../../events';
import { findings, type Finding, type Rule } from '../../findings/rule';
import { callsOf } from '../../sheet';

const SHOWN_RIGHT = 400;

export const eventShape: Rule = {
  id: 'event/shape',
  level: 'warn',
  title: 'The events of the sheet are what the function takes',
  why: 'An event of the wrong shape is the most common first failure: plain data to a web application, a web request to a plain function, an event of one source to code for another.',
  mend: 'Write the event as the host gives it: `emballage event NAME` prints one of the right shape to start from.',
  needs: ['events'],
  check({ subject: { view }, destination, facts: { entry, events = [], shape } }) {
    const reads = entry === undefined || shape !== undefined ? [] : (view?.reads?.(entry) ?? []);
    const taken = { reads, calls: callsOf(destination), ...(shape !== undefined && { shape }) };
    return findings(
      ...events.flatMap((one): Finding[] => {
        const where = printable(one.name);
        if ('fault' in one) {
          const { expected = 'an event', found, mend } = one.fault;
          return [{ level: 'warn', where, expected, found, mend }];
        }
        const fault = judgeEvent(one.event, taken);
        if (fault === undefined) return [];
        const { expected, found, mend, right } = fault;
        return [
          { level: 'warn', where, expected, found, mend: right === undefined ? mend : `${mend}: ${shown(right)}` },
        ];
      }),
    );
  },
};

function shown(right: unknown): string {
  const text = writeExact(right);
  return printable(text.length <= SHOWN_RIGHT ? text : `${text.slice(0, SHOWN_RIGHT)} …`);
}
