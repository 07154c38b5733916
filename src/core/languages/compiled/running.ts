/** How executables are run: they speak for themselves, and need no runtime. */
import { join } from 'node:path';
import { listed } from '../../base/text';
import type { Arch, FunctionSpec } from '../../sheet';
import type { LookedUp, Running } from '../language';
import type { CompiledId } from './own';

export const executableRun: Omit<Running<never>, 'found' | 'lookUp'> = {
  choose: () => Promise.resolve({}),
  host: {
    args: () => [],
    load: ({ root }, file) => ({ file: join(root, file) }),
  },
  image: {
    plan: () => ({}),
    command: ({ root, hostEntry }) => [`${root}/${hostEntry.file}`],
    find: () => undefined,
    base: () => Promise.resolve(undefined),
  },
};

/**
 * Whether a function can be compiled here, for all its processors.
 * @param pathFor absolute path of a compiler for a processor
 */
export function lookUpCompilers(
  { runtime, byLanguage: own, archs }: FunctionSpec<CompiledId>,
  pathFor: (arch: Arch) => string | undefined,
): LookedUp {
  const open = archs.filter((arch) => pathFor(arch) === undefined);
  const [first] = archs;
  const asked = own.toolchain === undefined ? '' : `\`${own.toolchain.text}\` `;
  return {
    runtime: own.toolchain?.text ?? runtime.text,
    found: open.length === 0,
    path: (first === undefined ? undefined : pathFor(first)) ?? null,
    mend: open.length === 0 ? '' : `no compiler ${asked}for ${listed(open)}`,
  };
}
