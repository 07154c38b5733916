import { describeFault, mendFault, type ZipFaultCode } from '../../formats/zip';
import { printable } from '../../base/text';
import { findings, type Rule } from '../../findings/rule';

const PATH_FAULTS: readonly ZipFaultCode[] = [
  'unsafe-path',
  'link-out',
  'through-link',
  'duplicate-name',
  'bad-name',
  'special-file',
];

export const layoutUnsafePath: Rule = {
  id: 'layout/unsafe-path',
  level: 'stop',
  title: 'Every path stays inside the artifact and stands there once',
  why: 'A path that leads out of the folder, a link that does, or a name that stands twice unpacks to something else than was checked.',
  mend: 'Make the archive anew with plain relative paths.',
  needs: [],
  check: ({ subject }) =>
    findings(
      ...subject.faults
        .filter((fault) => PATH_FAULTS.includes(fault.code))
        .map((fault) => ({
          level: 'stop' as const,
          where: printable(fault.entry),
          expected: 'a plain relative path, once',
          found: describeFault(fault),
          mend: mendFault(fault),
        })),
    ),
};

/** Faults of the archive itself, which another rule reports. */
export function isPathFault(code: ZipFaultCode): boolean {
  return PATH_FAULTS.includes(code);
}
