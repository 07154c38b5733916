/** Dependencies that are older than somebody asks for: the nearest version wins. */
import { printable } from '../../../base/text';
import type { Finding } from '../../../findings/rule';
import type { Waybill } from '../../../waybill';
import { compareVersions } from '../maven';

export function clashesInJvm(waybill: Waybill | undefined): Finding[] {
  return (waybill?.jvm?.clashes ?? []).map(({ name, version, chain, used, usedChain }) => {
    const isOlder = compareVersions(used, version) < 0;
    return {
      level: isOlder ? ('warn' as const) : ('note' as const),
      where: name,
      expected: `version ${printable(version)}, as ${chain.map(printable).join(' → ')} asks`,
      found: `version ${printable(used)}, by ${usedChain.map(printable).join(' → ')}`,
      mend: isOlder
        ? `state \`${name}:${printable(version)}\` under \`needs\`, or move one of the two with \`relocate\``
        : 'nothing, unless the older one was needed',
    };
  });
}
