// The manual page, in the macros of man(7), made from what the program says of itself.

const escape = (text) =>
  text
    .replaceAll('\\', '\\e')
    .replaceAll('-', '\\-')
    .replace(/^([.'])/gm, '\\&$1')
    .replaceAll('…', '...')
    .replaceAll('’', "'");

/** @param commands the entries, each with its module @param common options that all have @param exits rows of code and meaning */
export function manualPage({ commands, common, exits, optionText, aboutOption, version }) {
  const options = (all) =>
    Object.entries(all).map(
      ([name, one]) => `.TP\n\\fB${escape(optionText(name, one))}\\fR\n${escape(aboutOption(one))}`,
    );
  const sections = commands.map(({ usage, command }) =>
    [
      `.SS "${escape(usage)}"`,
      escape(command.about.replace(/\s+/g, ' ')),
      ...options(command.options),
      '.PP',
      ...command.examples.flatMap(([args, does]) => [
        `${escape(does)}:`,
        '.PP',
        '.RS 4',
        '.nf',
        escape(`emballage ${usage.split(' ')[0]} ${args}`.trimEnd()),
        '.fi',
        '.RE',
        '.PP',
      ]),
    ].join('\n'),
  );
  return `.\\" Written by scripts/reference.mjs from the program. Not for editing.
.TH EMBALLAGE 1 "" "emballage ${version}" "User Commands"
.SH NAME
emballage \\- deployment artifacts from the source of event\\-driven functions
.SH SYNOPSIS
.B emballage
\\fICOMMAND\\fR [\\fIWORD\\fR...] [\\fIOPTION\\fR...]
.SH DESCRIPTION
Makes zip archives, shaded JARs, executables and container images from the source of functions, byte for byte the same on
every machine, and checks them against what their destination takes. What is built stands in a packing sheet,
.IR emballage.yaml .
.SH COMMANDS
${sections.join('\n')}
.SH OPTIONS EVERYWHERE
${options(common).join('\n')}
.SH EXIT STATUS
${exits.map(([code, meaning]) => `.TP\n.B ${code}\n${escape(meaning)}`).join('\n')}
.SH ENVIRONMENT
.TP
.B SOURCE_DATE_EPOCH
The time that files in artifacts carry, seconds since 1970.
.TP
.B HTTP_PROXY, HTTPS_PROXY, NO_PROXY, SSL_CERT_FILE, NODE_EXTRA_CA_CERTS
How servers are reached, and whose certificates count.
.TP
.B NETRC
The file with logins; \\fI~/.netrc\\fR otherwise.
.TP
.B NO_COLOR, COLUMNS, XDG_CACHE_HOME
Plain text; how wide help is; where third parties' files are kept.
.SH FILES
.TP
.I emballage.yaml
The packing sheet.
.TP
.I emballage.lock
What was settled: third parties' files by version, digest and size.
.TP
.I out/
Artifacts and their waybills.
.TP
.I .emballage/
Memory of work done. Without it the bytes are the same.
`;
}
