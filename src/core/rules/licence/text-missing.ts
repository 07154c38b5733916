import { firstFew, listed, printable } from '../../base/text';
import { asksForText } from '../../formats/licence-expression';
import { findings, type Rule } from '../../findings/rule';
import { licenceOf, packedPackages } from '../../findings/licence-of';

const SHOWN = 8;

export const licenceTextMissing: Rule = {
  id: 'licence/text-missing',
  level: 'note',
  title: 'The texts of licences are where the packages are',
  why: 'Most licences ask that their text, with the names of who holds the rights, goes with every copy. What is linked into one file, compiled or traced leaves it behind.',
  mend: 'Keep it: `keep: ["**/LICENSE*"]` for what is taken out, or `include` a file with all of them.',
  needs: ['packages'],
  check({ facts, subject }) {
    const missing = packedPackages(facts).filter((one) => {
      const licence = licenceOf(one, facts.licences);
      return licence !== undefined && asksForText(licence) && !one.hasText;
    });
    if (missing.length === 0) return findings();
    const names = missing.map((one) => `${printable(one.name)} (${printable(licenceOf(one, facts.licences) ?? '')})`);
    const [first] = missing.flatMap(({ licence }) => licence?.texts ?? []);
    return findings({
      level: 'note',
      expected: 'the text of each licence in the artifact',
      found: `none of ${listed(firstFew(names, SHOWN))}`,
      mend:
        subject.form.isProgram === true || first === undefined
          ? 'send the texts beside it, or put them into a file of the source'
          : `keep it: \`keep: ["**/${printable(first.split('/').pop() ?? '')}"]\`, or put the texts into a file of the source`,
    });
  },
};
