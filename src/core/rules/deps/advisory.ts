import { listed, printable } from '../../base/text';
import { findings, type AdvisoryFact, type Finding, type Rule } from '../../findings/rule';

export const depsAdvisory: Rule = {
  id: 'deps/advisory',
  level: 'stop',
  title: 'What the function reaches has no known fault',
  why: 'Records of known faults (`advisories`) are held against every package of the lock, by the rules that its ecosystem has for versions. What is reached from the entry says stop, what is packed and not reached is a note, and what was left out is not in the artifact at all. Without a trace all that is packed counts as reached.',
  mend: 'Lock a version without it: `emballage lock --upgrade PACKAGE`. What does not touch the function is accepted, with `because`, and the bill of materials says so.',
  needs: ['packages', 'advisories'],
  check: ({ facts: { advisories = [] } }) =>
    findings(...advisories.filter(({ standing }) => standing !== 'left-out').map(findingOf)),
};

function findingOf(fact: AdvisoryFact): Finding {
  const { id, aliases, summary, severity, fixed, modules, standing } = fact;
  const { name, version } = fact.package;
  const about = [...new Set(aliases)].map(printable).join(', ');
  const where = modules.length > 0 ? `, in ${listed(modules.slice(0, 3).map((one) => `\`${printable(one)}\``))}` : '';
  const stands =
    standing === 'reached'
      ? 'it is reached from the entry'
      : standing === 'untraced'
        ? 'it is packed, and nobody traced whether it is reached'
        : 'it is packed, and nothing is seen to reach it';
  return {
    level: standing === 'packed' ? 'note' : 'stop',
    where: `${printable(id)} ${printable(name)}`,
    expected:
      fixed === undefined ? 'a version without a known fault' : `${printable(name)} ${printable(fixed)} or later`,
    found: `${printable(version)}: ${printable(summary)}${where}${severity === undefined ? '' : ` (${printable(severity)})`}${about === '' ? '' : `; also ${about}`}; ${stands}`,
    mend:
      fixed === undefined
        ? 'take another package, or accept it with a reason'
        : `\`emballage lock --upgrade ${printable(name)}\`, then build again`,
  };
}
