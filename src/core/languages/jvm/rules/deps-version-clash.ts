import { printable } from '../../../base/text';
import { compareVersions } from '../maven';
import { findings, type Rule } from '../../../findings/rule';

export const depsVersionClash: Rule = {
  id: 'deps/version-clash',
  level: 'warn',
  title: 'No dependency is older than somebody asks for',
  why: 'The nearest version wins. Whoever was written for a newer one may miss a class or a method when it runs.',
  mend: 'State the newer version under `needs`, or settle one of the two by itself with `relocate` and `within`.',
  needs: ['waybill'],
  check: ({ facts: { waybill } }) =>
    findings(
      ...(waybill?.jvm?.clashes ?? []).map(({ name, version, chain, used, usedChain }) => {
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
      }),
    ),
};
