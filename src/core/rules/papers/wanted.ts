import { listed, printable } from '../../base/text';
import { findings, type Finding, type Rule } from '../../findings/rule';

export const papersWanted: Rule = {
  id: 'papers/wanted',
  level: 'stop',
  title: 'The artifact has the papers that its destination wants, and those that it has are its own',
  why: 'Who takes an artifact from others wants to see what is in it, what it was made of and who says so (`wants` in the destination). Papers of another artifact, or changed by hand, say nothing about this one.',
  mend: 'Vouch for it: `emballage vouch NAME --key FILE`.',
  needs: ['papers'],
  check({ destination, facts: { papers, name = '' } }) {
    if (papers === undefined) return findings();
    const { bill, provenance, signedBy } = destination.wants ?? { bill: false, provenance: false, signedBy: [] };
    const mend = `\`emballage vouch ${printable(name)}${signedBy.length > 0 ? ' --key FILE' : ''}\``;
    const lacking = [
      ...(bill && !papers.hasBill ? ['a bill of materials'] : []),
      ...((provenance || signedBy.length > 0) && !papers.hasProvenance ? ['provenance'] : []),
    ];
    const found: Finding[] = papers.failed.map(({ what, found: instead }) => ({
      level: 'stop',
      expected: what,
      found: instead,
      mend,
    }));
    if (lacking.length > 0)
      found.push({
        level: 'stop',
        expected: `${listed(lacking)} (${destination.name})`,
        found: 'none beside it',
        mend,
      });
    return findings(...found);
  },
};
