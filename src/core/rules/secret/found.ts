import { printable } from '../../base/text';
import { filesFrom } from '../../findings/origins';
import { findings, type Rule } from '../../findings/rule';

export const secretFound: Rule = {
  id: 'secret/found',
  level: 'stop',
  title: 'No key, token or password lies in what is sent',
  why: 'Whoever can read the artifact can use it, and it stays in every copy. It is told by its structure or its checksum, or by its name where it looks drawn and not written. Its value is never shown.',
  mend: 'Take it out, make a new one where it is used, and give it to the function by a setting. What is no secret is accepted by its fingerprint.',
  needs: [],
  check({ subject: { secrets = [] }, facts: { waybill } }) {
    // What others published is no secret of the team's, and often an example: it is worth knowing.
    const own = filesFrom(waybill, 'source', 'generated');
    return findings(
      ...secrets.map(({ path, file, line, what, fingerprint, isSetting }) => ({
        level: waybill === undefined || isSetting === true || own.has(file) ? ('stop' as const) : ('note' as const),
        where: printable(path),
        expected: isSetting === true ? 'no secret in the sheet' : 'no secret in what is sent',
        found: `${what}${line > 0 ? `, line ${String(line)}` : ''}, fingerprint ${fingerprint}`,
        mend:
          isSetting === true
            ? `write \`${printable(path)}: { secret: true }\`, and make a new one: this one is in the sheet’s history`
            : 'take it out, make a new one, and give it to the function by a setting with `secret: true`',
        fingerprint,
      })),
    );
  },
};
