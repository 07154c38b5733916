import picomatch from 'picomatch';
import { findings, type Rule } from '../../findings/rule';
import { hostSettings } from '../../sheet';

export const settingsReserved: Rule = {
  id: 'settings/reserved',
  level: 'stop',
  title: 'No setting has a name that the destination keeps for itself',
  why: 'The destination sets these names itself: it refuses the deployment, or silently replaces the value.',
  mend: 'Rename the setting, in the sheet and in the code.',
  needs: ['settings'],
  check({ subject, destination, facts: { settings = [] } }) {
    const reserved = hostSettings(subject.form, subject.view?.isProgram === true, destination);
    const matchers = reserved.map((pattern) => ({ pattern, matches: picomatch(pattern) }));
    return findings(
      ...settings.flatMap(({ name }) => {
        const by = matchers.find(({ matches }) => matches(name));
        if (by === undefined) return [];
        return [
          {
            level: 'stop' as const,
            where: name,
            expected: `a name that ${destination.name} does not reserve`,
            found: `one that matches \`${by.pattern}\``,
            mend: 'rename the setting',
          },
        ];
      }),
    );
  },
};
