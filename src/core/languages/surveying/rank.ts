/** How likely it is that something is what a host calls, by its names. What a name says is the same in every language. */

/** From here on it is taken for a function. */
export const ENOUGH = 5;

const EVENT = /^_?(?:\w*event|evt|ev|cloud_?event)$/i;
const MESSAGE = /^_?(?:message|msg|payload|record|request|req|input|body|job|task|command)$/i;
const CONTEXT = /^_*(?:\w*context|ctx|_)$/i;
const USUAL =
  /^(?:handle|handler|main|run|entry|entry_?point|invoke|execute|process|receive|apply|accept|default|on_?event|on_?message|handle_?event|process_?event)$/i;
const USUAL_FILE = /^(?:index|main|handler|handlers|app|function|func|entry|run|lib)$/i;

export interface Named {
  readonly member: string;
  /** Names of the parameters that have to be given, as far as they are known. */
  readonly parameters: readonly string[];
  /** Name of the file without its ending. */
  readonly stem: string;
  /** Name of the folder that it is alone in. */
  readonly folder: string;
  /** Whether the manifest names its file; with the words for it. */
  readonly stated?: string;
}

export interface Ranked {
  readonly points: number;
  readonly why: string;
}

/** Points, and the reasons for them in words. */
export function rank({ member, parameters, stem, folder, stated }: Named): Ranked {
  const reasons: [number, string][] = [];
  const [first, second, ...rest] = parameters;
  const isPair = second === undefined || CONTEXT.test(second);
  if (first !== undefined && rest.length === 0) {
    if (EVENT.test(first)) reasons.push([isPair ? 6 : 1, `takes \`${first}\``]);
    else if (MESSAGE.test(first) && isPair) reasons.push([3, `takes \`${first}\``]);
    if (second !== undefined && isPair) reasons.push([2, `and \`${second}\``]);
  }
  if (USUAL.test(member)) reasons.push([first === undefined ? 1 : 3, 'a usual name for it']);
  if (stated !== undefined) reasons.push([2, stated]);
  if (USUAL_FILE.test(stem)) reasons.push([1, 'in a file of a usual name']);
  else if (sameWord(stem, folder)) reasons.push([1, 'in a file named like its folder']);
  return {
    points: reasons.reduce((sum, [points]) => sum + points, 0),
    why: reasons
      .map(([, text]) => text)
      .join(', ')
      .replace(', and', ' and'),
  };
}

function sameWord(a: string, b: string): boolean {
  const plain = (text: string): string => text.toLowerCase().replace(/[^a-z0-9]/g, '');
  return plain(a) !== '' && plain(b).includes(plain(a));
}

/** The likeliest first; among equals the one that comes first in the text. */
export function byPoints<T extends { readonly points: number }>(all: readonly T[]): T[] {
  return [...all].sort((a, b) => b.points - a.points);
}
