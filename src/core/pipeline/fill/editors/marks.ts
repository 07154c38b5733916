/** Changes what stands between two marks of a text, such as a README: `<!-- fill NAME -->` and `<!-- end -->`. */
import { several, splice, type Edited, type EditFault } from './editor';

const BEGIN = /<!--\s*fill\s+([\w.-]+)\s*-->/g;
const END = /<!--\s*end\s*-->/g;

/** Puts a value between two marks of any text. @param at name of the mark */
export function editMarks(text: string, at: string, value: string): Edited | EditFault {
  const begins = [...text.matchAll(BEGIN)];
  const found = begins.filter(([, name]) => name === at);
  const [begin] = found;
  if (begin === undefined)
    return {
      expected: `the mark \`<!-- fill ${at} -->\``,
      found: begins.length === 0 ? 'no marks' : `marks ${begins.map(([, name = '']) => `\`${name}\``).join(', ')}`,
      mend: `put \`<!-- fill ${at} -->\` and \`<!-- end -->\` around what is to be filled in`,
    };
  if (found.length > 1) return several(at, found.length, begin.index);
  const start = begin.index + begin[0].length;
  const end = [...text.matchAll(END)].find(({ index }) => index >= start)?.index;
  const next = begins.find(({ index }) => index >= start)?.index ?? Infinity;
  if (end === undefined || next < end)
    return { expected: '`<!-- end -->` behind the mark', found: 'none', mend: 'add it', offset: begin.index };
  const old = text.slice(start, end);
  const line = text.includes('\r\n') ? '\r\n' : '\n';
  // On a line of its own where it was so before.
  const put = old.includes('\n') ? `${line}${value.replaceAll('\n', line)}${line}` : value;
  return { text: splice(text, [start, end], put), before: old.trim() };
}
