import { listed } from '../../base/text';
import { findings, type Finding, type Rule } from '../../findings/rule';
import { isHeld, valueAt, type Setting } from '../../sheet';

export const settingsMissing: Rule = {
  id: 'settings/missing',
  level: 'stop',
  title: 'Every declared setting has a value, and every required one is declared',
  why: 'A setting without a value is found out when the code reads it, which may be weeks later.',
  mend: 'Give the setting a `sample` or a value for the destination, or mark it `secret: true`.',
  needs: ['settings'],
  check({ destination, facts: { settings = [] } }) {
    const found: Finding[] = settings
      .filter((setting) => isUnset(setting, destination.name))
      .map(({ name, values }) => ({
        level: 'stop',
        where: name,
        expected: values === undefined ? 'a `sample`, or `secret: true`' : `a value for ${destination.name}`,
        found:
          values === undefined
            ? 'neither: nothing would set it'
            : `values for ${listed(Object.keys(values), 'and')} only`,
        mend:
          values === undefined
            ? `write \`${name}: { sample: "…" }\` or \`${name}: { secret: true }\``
            : `add \`${destination.name}: "…"\` to its \`values\`, or \`held: [${destination.name}]\``,
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

function isUnset(setting: Setting, destination: string): boolean {
  if (setting.secret || setting.beside !== undefined || isHeld(setting, destination)) return false;
  return valueAt(setting, destination) === undefined;
}
