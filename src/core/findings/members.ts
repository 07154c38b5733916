/** What views of languages say alike of the member that a host calls. */
import { firstFew, listed, nearestWord, printable } from '../base/text';
import type { Entry } from '../sheet';
import type { Finding } from './rule';

/** The host calls `member(event, context)`. */
export const EVENT_AND_CONTEXT = 2;
const SHOWN_MEMBERS = 8;

/** Reading cannot tell whether it is there. */
export function unseenMember(where: string, expected: string, why: string): Finding {
  return {
    level: 'note',
    where,
    expected,
    found: `no way to tell by reading: ${printable(why)}`,
    mend: 'try the function, which loads it for real',
  };
}

export interface ForgottenAdapter {
  /** The place of the entry, fit for printing. */
  readonly where: string;
  readonly entry: Entry;
  /** The kind of adapter that calls it. */
  readonly value: string;
  /** What says that it is a web application. */
  readonly why: string;
  /** It may be something else. */
  readonly isGuess?: true;
}

/** The finding that a web application is to be called with events. */
export function forgottenAdapter({ where, entry, value, why, isGuess }: ForgottenAdapter): Finding {
  return {
    level: isGuess === true ? 'warn' : 'stop',
    where,
    expected: `\`${entry.member}(event, context)\``,
    found: `a web application: ${printable(why)}`,
    mend: `write \`adapter: ${value}\` beside its \`entry\` in the sheet`,
  };
}

export interface MissingMember {
  /** The place of the entry, fit for printing. */
  readonly where: string;
  readonly member: string;
  readonly expected: string;
  /** What is there instead. */
  readonly members: readonly string[];
}

/** The finding that the member which the host calls is not there, with the nearest that is. */
export function missingMember({ where, member, expected, members }: MissingMember): Finding {
  const near = nearestWord(member, members);
  const names = members.map((m) => `\`${printable(m)}\``);
  const found = members.length === 0 ? 'no exports at all' : `only ${listed(firstFew(names, SHOWN_MEMBERS))}`;
  return {
    level: 'stop',
    where,
    expected,
    found,
    mend: near === undefined ? 'correct `entry`, or export it' : `did you mean \`${where}#${printable(near)}\`?`,
  };
}
