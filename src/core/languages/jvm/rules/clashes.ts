/** Dependencies that are older than somebody asks for: the nearest version wins. */
import { printable } from '../../../base/text';
import { overridden } from '../../../findings/overridden';
import type { Finding } from '../../../findings/rule';
import type { Waybill } from '../../../waybill';
import { compareVersions } from '../maven';

/** Versions that somebody asked for and that nearer ones overrode, where that may matter. */
export function clashesInJvm(waybill: Waybill | undefined): Finding[] {
  return (waybill?.jvm?.clashes ?? []).map((clash) =>
    overridden(clash, {
      isOlder: compareVersions(clash.used, clash.version) < 0,
      mend: `state \`${clash.name}:${printable(clash.version)}\` under \`needs\`, or move one of the two with \`relocate\``,
    }),
  );
}
