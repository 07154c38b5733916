import { printable } from '../../../base/text';
import { allowsEngine, lowestMajor } from '../locks/versions';
import { nodeMajor, nodeOf, ownNodeModules } from './shared';
import { findings, type Finding, type Rule, type RuleContext } from '../../../findings/rule';

export const runtimeNodeVersion: Rule = {
  id: 'runtime/node-version',
  level: 'stop',
  title: 'Packages and syntax are for the runtime’s version of Node.js',
  why: 'Syntax that is newer than the runtime fails when the file is loaded. A package that was made for a newer Node.js may fail anywhere.',
  mend: 'Choose versions of the packages that support the runtime, or write what it understands; TypeScript is compiled to that.',
  needs: ['runtime'],
  check: (context) => findings(...newSyntax(context), ...engines(context)),
};

function newSyntax({ subject, facts }: RuleContext): Finding[] {
  const node = nodeOf(subject);
  const major = nodeMajor(facts);
  if (node === undefined || major === undefined) return [];
  const own = new Set(ownNodeModules(node, facts));
  const found: Finding[] = [];
  for (const path of node.trace.reached.keys()) {
    const newest = (node.factsOf(path)?.syntax ?? []).filter(({ since }) => since > major);
    for (const { line, since, what } of newest)
      found.push({
        level: 'stop',
        where: `${printable(path)}:${String(line)}`,
        expected: `syntax that Node.js ${String(major)} knows`,
        found: `${what}, new in ${String(since)}`,
        mend: own.has(path)
          ? `write it differently, or set \`runtime: node ${String(since)}\``
          : 'choose an older version of the package, or a newer runtime',
      });
  }
  return found;
}

function engines({ destination, facts }: RuleContext): Finding[] {
  const major = nodeMajor(facts);
  if (major === undefined) return [];
  const patch = destination.runtimes.find(({ name }) => name === facts.runtime?.text)?.patch;
  return (facts.waybill?.packages ?? [])
    .filter(({ node }) => node?.engines !== undefined && !allowsEngine(node.engines, major, patch))
    .map(({ name, version, node: { engines: range = '' } = {} }) => ({
      level: 'warn',
      where: printable(`${name} ${version}`),
      expected: `a package for Node.js ${patch ?? String(major)}`,
      found: `one for ${printable(range)}`,
      mend: `choose an older version, or set \`runtime: node ${String(lowestMajor(range) ?? major)}\``,
    }));
}
