import { groupBy } from '../../../base/several';
import { count, printable } from '../../../base/text';
import type { Finding, FunctionFacts } from '../../../findings/rule';
import type { PythonArtifact } from '../view/artifact-view';
import { normalizeName } from '../versions/marker';
import { absoluteName, packageOf } from '../trace/module-tree';
import { ownModules } from './shared';

/** Distributions that only tests use. */
const TEST_PACKAGES =
  /^(?:pytest(?:-.+)?|nose2?|hypothesis|tox|nox|coverage|mock|testfixtures|factory-boy|freezegun|responses|requests-mock|unittest2|behave|testtools|robotframework)$/;
const OWN_TEST = /(?:^|\/)(?:test_[^/]+|[^/]+_test|conftest)\.py$/;

/** Test libraries, and folders of tests of the function itself that its other code does not import. */
export function testOnlyInPython(artifact: PythonArtifact, facts: FunctionFacts): Finding[] {
  const isLocked = facts.waybill !== undefined;
  const libraries = artifact.distributions.flatMap(({ metadata: { name, version } }): Finding[] =>
    TEST_PACKAGES.test(normalizeName(name))
      ? [
          {
            level: 'warn',
            where: printable(name),
            expected: 'no test library',
            found: printable(`${name} ${version}`),
            mend: isLocked ? 'ask for it in a group of its own, and lock' : 'leave it out',
          },
        ]
      : [],
  );
  const own = ownModules(artifact, facts);
  const found = own.filter((path) => OWN_TEST.test(path) && path !== facts.entry?.file);
  const tests = [...groupBy(found, testFolder)].flatMap(([folder, files]): Finding[] => {
    const isTest = (path: string): boolean => (folder === '' ? files.includes(path) : path.startsWith(`${folder}/`));
    if (own.some((path) => !isTest(path) && imports(artifact, path).some(isTest))) return [];
    const [first] = files;
    return [
      {
        level: 'warn',
        where: printable(folder === '' ? first : `${folder}/`),
        expected: 'no tests',
        found: count(files.length, 'file of tests', 'files of tests'),
        mend: `write \`leave-out: ["/${printable(folder === '' ? first : folder)}"]\``,
      },
    ];
  });
  return [...libraries, ...tests];
}

/** The folder of tests that a file is in; '' for one that lies among others. */
function testFolder(path: string): string {
  return /^(?:.*\/)?tests?(?=\/)/.exec(path)?.[0] ?? '';
}

function imports(artifact: PythonArtifact, path: string): string[] {
  return (artifact.facts(path)?.imports ?? []).flatMap(({ level, module }) => {
    const name = absoluteName(packageOf(path), level, module);
    return name === undefined ? [] : artifact.tree.filesFor(name);
  });
}
