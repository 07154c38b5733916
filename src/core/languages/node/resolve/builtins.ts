/** Modules that Node.js brings along. A fixed list, so that the answer does not depend on which Node.js runs this. */

const PLAIN = new Set(
  (
    'assert assert/strict async_hooks buffer child_process cluster console constants crypto dgram diagnostics_channel dns ' +
    'dns/promises domain events fs fs/promises http http2 https inspector inspector/promises module net os path path/posix ' +
    'path/win32 perf_hooks process punycode querystring readline readline/promises repl stream stream/consumers ' +
    'stream/promises stream/web string_decoder sys timers timers/promises tls trace_events tty url util util/types v8 vm ' +
    'wasi worker_threads zlib'
  ).split(' '),
);
/** Known only with `node:` before them. */
const PREFIXED = new Set(['sea', 'sqlite', 'test', 'test/reporters']);

/** Whether a specifier names a module that Node.js has built in. */
export function isBuiltin(specifier: string): boolean {
  if (!specifier.startsWith('node:')) return PLAIN.has(specifier) || /^_(?:http|stream|tls)_/.test(specifier);
  const name = specifier.slice('node:'.length);
  return PLAIN.has(name) || PREFIXED.has(name);
}
