/** `rules`: what `check` looks for. */
import { EmballageError } from '../../core/base/errors';
import { nearestWord, printable } from '../../core/base/text';
import { rulesFor } from '../../core/pipeline/check';
import type { Rule } from '../../core/rules';
import { columnsHere } from '../output';
import type { Session } from '../session/session';
import { textWidth, wrap } from '../views/help';
import { EXIT, texts, type CommandModule } from './command';

export const command: CommandModule = {
  about:
    'Lists the rules that check applies, or says what one of them means, why it is there and how to mend what it finds.',
  examples: [
    ['', 'all rules'],
    ['entry/missing-member', 'one of them'],
  ],
  options: {},
  async run(args, session) {
    const ids = texts(args, '_');
    const all = await rulesFor({});
    const rules = ids.length === 0 ? all : ids.map((id) => findRule(id, all));
    session.document({
      rules: rules.map(({ id, level, title, why, mend, needs }) => ({ id, level, title, why, mend, needs })),
    });
    if (session.json) return EXIT.done;
    if (ids.length > 0) session.say(rules.map((rule) => ruleText(rule, session)).join('\n\n'));
    else {
      const { table } = await import('../views/table');
      session.say(table(rules.map((rule) => [session.paint.bold(rule.id), rule.level, rule.title])));
    }
    session.next(
      ids.length === 0 ? 'rules entry/missing-member' : 'check',
      ids.length === 0 ? 'read more about one' : 'apply the rules',
    );
    return EXIT.done;
  },
};

function findRule(id: string, all: readonly Rule[]): Rule {
  const rule = all.find((one) => one.id === id);
  if (rule !== undefined) return rule;
  const ids = all.map((one) => one.id);
  const near =
    nearestWord(id, ids) ?? ids.find((one) => one.endsWith(`/${id}`)) ?? ids.find((one) => one.startsWith(`${id}/`));
  throw new EmballageError('USAGE', {
    doing: 'looking up a rule',
    expected: 'the id of a rule, such as `size/packed`',
    found: `\`${printable(id)}\``,
    mend: near === undefined ? 'run `rules` for all of them' : `did you mean \`${near}\`?`,
  });
}

const INDENT = ' '.repeat(11);

function ruleText(rule: Rule, { paint }: Session): string {
  const width = textWidth(columnsHere());
  const row = (label: string, text: string): string =>
    `  ${paint.dim(label.padEnd(8))} ${wrap(text, width, INDENT).slice(INDENT.length)}`;
  const needs = rule.needs.length === 0 ? 'nothing but the artifact' : rule.needs.join(', ');
  return [
    `${paint.bold(rule.id)} (${rule.level})  ${rule.title}.`,
    row('why', rule.why),
    row('mend', rule.mend),
    row('needs', needs),
  ].join('\n');
}
