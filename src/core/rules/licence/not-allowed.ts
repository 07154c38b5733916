import { listed, printable } from '../../base/text';
import { refused } from '../../formats/licence-expression';
import { findings, type Rule } from '../../findings/rule';
import { licenceOf, packedPackages } from '../../findings/licence-of';

export const licenceNotAllowed: Rule = {
  id: 'licence/not-allowed',
  level: 'stop',
  title: 'Packages have licences that the team allows',
  why: 'A licence may ask for more than the team wants to give. Of what may be chosen one that is allowed is enough; of what holds together all have to be.',
  mend: 'Take another package, keep the function from reaching it, or add the licence to `licences: { allow: … }`.',
  needs: ['packages'],
  check({ facts }) {
    const policy = facts.licences;
    if (policy === undefined) return findings();
    return findings(
      ...packedPackages(facts).flatMap((one) => {
        const licence = licenceOf(one, policy);
        const against = licence === undefined ? [] : refused(licence, policy);
        if (licence === undefined || against.length === 0) return [];
        const isDenied = refused(licence, { deny: policy.deny }).length > 0;
        return [
          {
            level: 'stop' as const,
            where: `${printable(one.name)} ${printable(one.version)}`,
            expected: isDenied ? 'none of those under `licences: { deny: … }`' : 'those under `licences: { allow: … }`',
            found: `${printable(licence)}${against.join() === licence ? '' : `, of which ${listed(against.map(printable))} may not be`}; ${listed(one.by.map(printable)) || 'nobody'} asks for it`,
            mend: 'take another package, or allow it in the sheet',
          },
        ];
      }),
    );
  },
};
