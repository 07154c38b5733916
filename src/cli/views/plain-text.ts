/** Text for terminals whose locale cannot show more than ASCII. */

const IN_ASCII: Readonly<Record<string, string>> = {
  '’': "'",
  '‘': "'",
  '“': '"',
  '”': '"',
  '…': '...',
  '–': '-',
  '—': '-',
  '−': '-',
  '·': '.',
  '×': 'x',
  '→': '->',
  '←': '<-',
  '≥': '>=',
  '≤': '<=',
  '█': '#',
  '▉': '#',
  '▊': '#',
  '▋': '#',
  '▌': '#',
  '└': '`',
  '▍': '-',
  '▎': '-',
  '▏': '-',
  '│': '|',
  '─': '-',
  '├': '|',
  '░': '.',
};

/** Whether the environment says that no more than ASCII can be shown; where it says nothing, more can. */
export function isAsciiOnly(env: Readonly<Record<string, string | undefined>>): boolean {
  const locale = [env.LC_ALL, env.LC_CTYPE, env.LANG].find((one) => one !== undefined && one !== '');
  return locale !== undefined && !/utf-?8/i.test(locale);
}

/** The same in ASCII; what has no likeness there is written by its number. */
export function inAscii(text: string): string {
  return text.replace(/[^\x00-\x7f]/gu, (sign) => IN_ASCII[sign] ?? `\\u{${(sign.codePointAt(0) ?? 0).toString(16)}}`);
}
