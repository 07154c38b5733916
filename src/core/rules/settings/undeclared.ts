import picomatch from 'picomatch';
import { nearestWord, placeIn, printable } from '../../base/text';
import { isCommonSetting } from '../../findings/common-settings';
import { findings, type Finding, type Rule } from '../../findings/rule';
import { hostSettings } from '../../sheet';

export const settingsUndeclared: Rule = {
  id: 'settings/undeclared',
  level: 'stop',
  title: 'Every setting that the code reads is declared',
  why: 'A setting that nobody declared is set by nobody. Often its name was mistyped, here or there.',
  mend: 'Declare the setting under `settings`, or correct its name in the code.',
  needs: ['settings', 'runtime'],
  asks: 'settings',
  check({ subject, destination, facts }) {
    const declared = (facts.settings ?? []).map(({ name }) => name);
    const isReserved = picomatch([...hostSettings(subject.form, subject.view?.isProgram === true, destination)]);
    const found: Finding[] = [];
    const result = new Set<string>();
    for (const { name, file, line, hasDefault } of subject.view?.settings?.() ?? []) {
      if (declared.includes(name) || isCommonSetting(name) || isReserved(name) || result.has(`${file}\0${name}`))
        continue;
      result.add(`${file}\0${name}`);
      const near = nearestWord(name, declared);
      found.push({
        level: hasDefault && near === undefined ? 'note' : 'stop',
        where: placeIn(file, line),
        expected: 'a setting that the sheet declares',
        found: `\`${printable(name)}\`${hasDefault ? ', which has a default' : ''}`,
        mend: near === undefined ? `declare \`${printable(name)}\` under \`settings\`` : `did you mean \`${near}\`?`,
      });
    }
    return findings(...found);
  },
};
