import { findings, type Finding, type Rule } from '../findings/rule';

export const settingsMissing: Rule = {
  id: 'settings/missing',
  level: 'stop',
  title: 'Every declared setting has a value, and every required one is declared',
  why: 'A setting without a value is found out when the code reads it, which may be weeks later.',
  mend: 'Give the setting a `sample`, or mark it `secret: true`.',
  needs: ['settings'],
  check({ destination, facts: { settings = [] } }) {
    const found: Finding[] = settings
      .filter((setting) => setting.sample === undefined && !setting.secret)
      .map(({ name }) => ({
        level: 'stop',
        where: name,
        expected: 'a `sample`, or `secret: true`',
        found: 'neither: nothing would set it',
        mend: `write \`${name}: { sample: "…" }\` or \`${name}: { secret: true }\``,
      }));
    for (const name of destination.settings.required) {
      if (settings.some((setting) => setting.name === name)) continue;
      found.push({
        level: 'stop',
        where: name,
        expected: `a setting that ${destination.name} requires`,
        found: 'no such setting',
        mend: `declare \`${name}\` under \`settings\``,
      });
    }
    return findings(...found);
  },
};
