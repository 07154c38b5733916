/** Names that systems and interpreters set themselves, so that nobody declares them. */
const COMMON =
  /^(?:PATH|HOME|LANG|LC_\w+|TZ|TMPDIR|TEMP|TMP|USER|LOGNAME|SHELL|PWD|HOSTNAME|TERM|PYTHON\w+|NODE_\w+|SSL_CERT_\w+|\w*_PROXY|\w*_proxy)$/;

/** Whether systems and tools set an environment variable everywhere, so that no function has to declare it. */
export function isCommonSetting(name: string): boolean {
  return COMMON.test(name);
}
