import { listed, printable } from '../../base/text';
import { formatSize } from '../../base/units';
import { checkLimit } from '../limit';
import type { FunctionFacts, Rule, Subject } from '../../findings/rule';

const SHOWN = 3;

/** Who tells what takes the room, of a function by its name. */
function told({ name, waybill }: FunctionFacts): string {
  return name === undefined || waybill === undefined ? '' : `, as \`emballage weigh ${name}\` tells it`;
}

/** What takes the most room, unpacked. */
function heaviest({ entries }: Pick<Subject, 'entries'>): string {
  const files = entries
    .filter(({ kind }) => kind === 'file')
    .sort((a, b) => b.size - a.size || (a.path < b.path ? -1 : 1));
  const shown = files.slice(0, SHOWN).map(({ path, size }) => `${printable(path)} (${formatSize(size)})`);
  return shown.length === 0 ? '' : `; the heaviest ${shown.length === 1 ? 'is' : 'are'} ${listed(shown)}`;
}

export const sizePacked: Rule = {
  id: 'size/packed',
  level: 'stop',
  title: 'The artifact file is no bigger than allowed',
  why: 'Destinations refuse uploads above their limit, and bigger artifacts start more slowly. The sheet’s own limit shows growth early.',
  mend: 'Leave out what the function does not need, or raise the sheet’s limit if the growth is meant.',
  needs: [],
  isOfLayers: false,
  check: (context) =>
    checkLimit(context, {
      key: 'packed',
      used: context.subject.packedBytes,
      unit: 'bytes',
      what: 'an artifact',
      mend: `leave out what is not needed${told(context.facts)}${heaviest(context.subject)}`,
    }),
};
