import { baseOf } from '../../../base/paths';
import { count, printable } from '../../../base/text';
import type { Finding, FunctionFacts } from '../../../findings/rule';
import type { NodeView } from '../view/artifact-view';
import { ownerOf } from '../view/owner';
import { packageAt } from './shared';

/** Packages that only tests use. */
const TEST_PACKAGES =
  /^(?:jest|mocha|chai|sinon|ava|tape|tap|vitest|jasmine|jasmine-core|karma|qunit|nyc|c8|supertest|nock|proxyquire|ts-jest|babel-jest|cypress|@jest\/.+|@testing-library\/.+|@vitest\/.+|@playwright\/test|@sinonjs\/.+)$/;
const OWN_TEST = /(?:^|\/)(?:__tests__|__mocks__)\/|\.(?:test|spec)\.[cm]?[jt]sx?$/;

/** Test libraries, and tests of the function itself that nothing loads. */
export function testOnlyInNode(
  paths: readonly string[],
  node: NodeView | undefined,
  { waybill }: FunctionFacts,
): Finding[] {
  const packages = new Map<string, number>();
  for (const path of paths) {
    const name = packageAt(ownerOf(path));
    if (TEST_PACKAGES.test(name)) packages.set(name, (packages.get(name) ?? 0) + 1);
  }
  const own = paths.filter(
    (path) => ownerOf(path) === '' && OWN_TEST.test(path) && node?.trace.reached.has(path) !== true,
  );
  const libraries = [...packages].map(([name, files]): Finding => {
    const by = waybill?.packages.find((one) => one.name === name)?.by ?? [];
    return {
      level: 'warn',
      where: name,
      expected: 'no test library',
      found: `${count(files, 'file')} of it${by.length === 0 ? '' : `, asked for by ${by.map(baseOf).join(' and ')}`}`,
      mend: waybill === undefined ? 'leave it out' : 'move it to `devDependencies`, and lock',
    };
  });
  const [first] = own;
  if (first === undefined) return libraries;
  const found = own.length === 1 ? 'one that nothing loads' : `${count(own.length, 'file')} that nothing loads`;
  const mend = 'name them under `leave-out`';
  return [...libraries, { level: 'warn', where: printable(first), expected: 'no tests', found, mend }];
}
