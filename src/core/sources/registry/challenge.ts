/** What a registry asks for when it answers 401 (RFC 9110 11.6.1): a password, or a token from elsewhere. */

export interface Challenge {
  /** In small letters: `basic`, `bearer`. */
  readonly scheme: string;
  readonly parameters: Readonly<Record<string, string>>;
}

const TOKEN = /^[!#$%&'*+.^_`|~0-9A-Za-z-]+/;

/** The challenges of a WWW-Authenticate header; what cannot be read is passed over. */
export function readChallenges(header: string): Challenge[] {
  const challenges: { scheme: string; parameters: Record<string, string> }[] = [];
  let rest = header.trim();
  while (rest !== '') {
    const parameter = /^([!#$%&'*+.^_`|~0-9A-Za-z-]+)\s*=\s*(?:"((?:[^"\\]|\\.)*)"|([^\s,"]*))\s*,?\s*/.exec(rest);
    if (parameter !== null) {
      const [whole, name = '', quoted, bare = ''] = parameter;
      const current = challenges.at(-1);
      if (current !== undefined) current.parameters[name.toLowerCase()] = quoted?.replace(/\\(.)/g, '$1') ?? bare;
      rest = rest.slice(whole.length);
      continue;
    }
    const [scheme] = TOKEN.exec(rest) ?? [];
    if (scheme === undefined) return challenges;
    challenges.push({ scheme: scheme.toLowerCase(), parameters: {} });
    rest = rest.slice(scheme.length).replace(/^[\s,]+/, '');
  }
  return challenges;
}
