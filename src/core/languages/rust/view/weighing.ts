/** Whose the code in executables from Rust is. */
import type { Weighing } from '../../weighing';

/** Crates that come with the compiler; methods of types that are built in are its own too. */
const LIBRARY: ReadonlySet<string> = new Set([
  ...['core', 'alloc', 'std', 'compiler_builtins', 'panic_unwind', 'panic_abort', 'unwind', 'hashbrown', 'gimli'],
  ...['addr2line', 'object', 'miniz_oxide', 'rustc_demangle', 'memchr', 'adler', 'adler2', 'cfg_if', 'libc'],
  ...['str', 'u8', 'u16', 'u32', 'u64', 'usize', 'i8', 'i16', 'i32', 'i64', 'bool', 'char'],
]);

export const rustWeighing: Weighing = {
  sourceOf(name, packages) {
    const found = packages.find((one) => one.name.replaceAll('-', '_') === name);
    return found ?? (LIBRARY.has(name) ? 'library' : undefined);
  },
};
