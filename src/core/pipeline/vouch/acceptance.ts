/** The acceptance of a known fault, as the sheet has it. Whether it has ended is for checks to say: a bill knows no day. */
import picomatch from 'picomatch';
import type { AdvisoryFact } from '../../findings/rule';
import type { Acceptance } from '../../sheet';

/** The acceptance that covers a known fault of a package; undefined where none does. */
export function acceptanceOf(
  { id, package: { name } }: AdvisoryFact,
  accept: readonly Acceptance[],
): Acceptance | undefined {
  return accept.find(
    ({ rule, where }) => rule === 'deps/advisory' && (where === undefined || picomatch(where)(`${id} ${name}`)),
  );
}
