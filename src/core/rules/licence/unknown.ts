import { firstFew, listed, printable } from '../../base/text';
import type { PackageFact } from '../../findings/rule';
import { findings, type Rule } from '../../findings/rule';
import { licenceOf, packedPackages } from '../../findings/licence-of';

const SHOWN = 8;

export const licenceUnknown: Rule = {
  id: 'licence/unknown',
  level: 'note',
  title: 'Every package in the artifact says under which licence it is given',
  why: 'What says none is not yours to pass on. It is taken from the metadata of the ecosystem, and where that says nothing from the text of the licence itself. With `licences: { allow: … }` it says stop.',
  mend: 'Ask who published it, or find out yourself and write it under `licences: { known: … }`.',
  needs: ['packages'],
  check({ facts }) {
    const unknown = packedPackages(facts).filter((one) => licenceOf(one, facts.licences) === undefined);
    if (facts.licences?.allow !== undefined) return findings(...unknown.map((one) => findingOf(one, 'stop')));
    const [first, ...more] = unknown;
    if (first === undefined) return findings();
    if (more.length === 0) return findings(findingOf(first, 'note'));
    return findings({
      level: 'note',
      expected: 'a licence that each package states, or a text of one',
      found: `none that is known of ${listed(firstFew(unknown.map(nameOf), SHOWN))}`,
      mend: 'find them out, and write them into the sheet: `licences: { known: { NAME: … } }`',
    });
  },
};

function findingOf(one: PackageFact, level: 'stop' | 'note') {
  const { licence, name } = one;
  return {
    level,
    where: nameOf(one),
    expected: 'a licence that it states, or a text of one',
    found:
      licence === undefined
        ? 'its file is not here to be read'
        : licence.written === undefined
          ? 'none'
          : `\`${printable(licence.written)}\`, which could be several`,
    mend:
      licence === undefined
        ? 'lock or build the function here, which fetches it'
        : `find it out, and write it into the sheet: \`licences: { known: { "${printable(name)}": … } }\``,
  };
}

function nameOf({ name, version }: PackageFact): string {
  return `${printable(name)} ${printable(version)}`;
}
