/** What languages in which the nearest version wins say of one that was overridden. */
import { printable } from '../base/text';
import type { LockedClash } from '../project/lock/locked-clash';
import type { Finding } from './finding';

/** @param isOlder whether what is used is older than what was asked for @param mend what to do about that */
export function overridden(
  { name, version, chain, used, usedChain }: LockedClash,
  { isOlder, mend }: { readonly isOlder: boolean; readonly mend: string },
): Finding {
  return {
    level: isOlder ? 'warn' : 'note',
    where: printable(name),
    expected: `version ${printable(version)}, as ${chain.map(printable).join(' → ')} asks`,
    found: `version ${printable(used)}, by ${usedChain.map(printable).join(' → ')}`,
    mend: isOlder ? mend : 'nothing, unless the older one was needed',
  };
}
