import { printable } from '../../../base/text';
import { fullVersion } from '../versions/environment';
import { fitsAll, parseSpecifiers } from '../versions/specifier';
import { parseVersion } from '../versions/version';
import { otherVersions } from './compiled-names';
import { artifactOf, ownModules, pythonOf } from './shared';
import { findings, type Finding, type Rule } from '../../../findings/rule';

export const runtimePythonVersion: Rule = {
  id: 'runtime/python-version',
  level: 'stop',
  title: 'Packages, compiled modules and syntax are for the runtime’s version of Python',
  why: 'A package that wants another Python may fail anywhere; a compiled module whose name says another version is passed over; syntax that is newer than the interpreter fails when the file is loaded.',
  mend: 'Choose versions of the packages that support the runtime, or write what it understands.',
  needs: ['runtime'],
  check({ subject, facts }) {
    const python = pythonOf(facts);
    const artifact = artifactOf(subject);
    if (python === undefined || artifact === undefined) return findings();
    const version = parseVersion(fullVersion(python));
    const found: Finding[] = [];
    for (const { metadata } of artifact.distributions) {
      const { specifiers, bad } = parseSpecifiers(metadata.requiresPython ?? '');
      if (bad !== undefined || version === undefined || fitsAll(specifiers, version)) continue;
      found.push({
        level: 'stop',
        where: printable(`${metadata.name} ${metadata.version}`),
        expected: `a package for Python ${python}`,
        found: `one that wants Python ${printable(metadata.requiresPython ?? '')}`,
        mend: `choose a version of ${printable(metadata.name)} that supports it`,
      });
    }
    for (const path of ownModules(artifact, facts))
      for (const { line, since, what } of artifact.facts(path)?.syntax ?? [])
        if (Number(since.split('.')[1]) > Number(python.split('.')[1]))
          found.push({
            level: 'stop',
            where: `${printable(path)}:${String(line)}`,
            expected: `syntax that Python ${python} knows`,
            found: `${what}, new in ${since}`,
            mend: `write it differently, or set \`runtime: python ${since}\``,
          });
    return findings(...found, ...otherVersions(artifact.paths, python));
  },
};
