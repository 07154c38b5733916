/** What a target is like, for markers and tags. */
import type { Arch } from '../../../sheet';
import type { MarkerEnvironment } from './marker';
import { MACHINES, type PythonTarget } from './tags';

/** The patch level that stands for one that nobody stated: later than any that a requirement may name. */
const UNKNOWN_PATCH = 99;

/** @param python `3.11`, or `3.11.4` where the destination states it */
export function pythonTarget(arch: Arch, python: string, libc: { glibc?: string; musl?: string }): PythonTarget {
  return { arch, python, ...libc };
}

/** `3.11.99` for `3.11`. */
export function fullVersion(python: string): string {
  return python.split('.').length > 2 ? python : `${python}.${String(UNKNOWN_PATCH)}`;
}

/** The values of environment markers for a target (PEP 508). */
export function markerEnvironment(target: PythonTarget): MarkerEnvironment {
  const full = fullVersion(target.python);
  return {
    os_name: 'posix',
    sys_platform: 'linux',
    platform_machine: MACHINES[target.arch],
    platform_python_implementation: 'CPython',
    // Nobody can know the kernel of the host.
    platform_release: '',
    platform_system: 'Linux',
    platform_version: '',
    python_version: target.python.split('.').slice(0, 2).join('.'),
    python_full_version: full,
    implementation_name: 'cpython',
    implementation_version: full,
  };
}
