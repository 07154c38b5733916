import { printable } from '../../base/text';
import { filesFrom } from '../../findings/origins';
import { findings, type Rule } from '../../findings/rule';

export const privacyHomePath: Rule = {
  id: 'privacy/home-path',
  level: 'warn',
  title: 'No file tells who built it, or on which machine',
  why: 'A path with a name in it says who works on what, and makes bytes differ from machine to machine. Source maps, caches and generated files bring them along.',
  mend: 'Have the tool that writes the file use relative paths, or leave the file out.',
  needs: [],
  check({ subject: { traces = [] }, facts: { waybill, runtime } }) {
    // What came from an index was made elsewhere; compiled code is held to more by `repro/path-leak`.
    const ours = filesFrom(waybill, 'source', 'generated', 'unlocked');
    const own =
      runtime?.offered === 'native' ? [] : traces.filter(({ file }) => waybill === undefined || ours.has(file));
    return findings(
      ...own.map(({ path, what }) => ({
        level: 'warn' as const,
        where: printable(path),
        expected: 'nothing of the machine that built it',
        found: what,
        mend: 'have it written with relative paths, or name it under `leave-out`',
      })),
    );
  },
};
