import { listed, nearestWord } from '../../base/text';
import { offeredRuntime } from '../../sheet';
import { isProgramItself } from '../../findings/native-files';
import { findings, type Rule } from '../../findings/rule';

export const runtimeUnsupported: Rule = {
  id: 'runtime/unsupported',
  level: 'stop',
  title: 'The destination offers the runtime, and takes the form',
  why: 'A function needs its interpreter at the host, in the version it was written for, and the host must take what it is given.',
  mend: 'Choose a runtime and a form that the destination lists.',
  needs: ['runtime'],
  check({ subject, destination, facts: { runtime } }) {
    const found = [];
    const forms = Object.keys(destination.accepts);
    if (!forms.includes(subject.form.id))
      found.push({
        level: 'stop' as const,
        expected: `${listed(forms, 'or')} (${destination.name})`,
        found: `an artifact of form ${subject.form.id}`,
        mend: 'build another form, or deliver elsewhere',
      });
    // Its base brings the runtime along.
    if (subject.form.isLayered === true) return findings(...found);
    const names = destination.runtimes.map((offered) => offered.name);
    if (runtime !== undefined && offeredRuntime(destination, runtime) === undefined) {
      const [word = ''] = runtime.text.split(' ');
      const near = names.find((name) => name.startsWith(`${word} `)) ?? nearestWord(runtime.text, names);
      found.push({
        level: 'stop' as const,
        expected: `${listed(names, 'or')} (${destination.name})`,
        found: runtime.text,
        mend:
          near === undefined || !near.includes(' ') || isProgramItself(subject)
            ? `deliver to a destination that has it, or write \`${runtime.offered}: {}\` under \`runtimes\` of ${destination.name} if it does`
            : `set \`runtime: ${near}\` and try the function with it`,
      });
    }
    return findings(...found);
  },
};
