/** What of a module's facts tracing and linking look at, without where in its text it stands. */
import { contentDigest } from '../../../disk/digest';
import type { EsmFacts, ModuleFacts } from '../trace/facts';

/** Two texts of one module with the same shape are traced and linked alike, but for the module's own part. */
export function shapeOf(facts: ModuleFacts): string {
  const { format, requests, unseen, esm, dynamicImports, cjs, texts } = facts;
  const asked = requests.map(({ kind, specifier, guard, when, isJson, isPath }) => [
    kind,
    specifier,
    guard,
    when,
    isJson,
    isPath,
  ]);
  // Which of them stand in one line: so each line of one text has its like in the other.
  const lines = requestLines(facts);
  const ranks = requests.map(({ line }) => lines.indexOf(line));
  return contentDigest(
    JSON.stringify([format, asked, ranks, unseen, dynamicImports.length > 0, cjs, esm && esmShape(esm), texts]),
  ).slice(0, 32);
}

/** Lines in which something is asked for, each once, in order. */
export function requestLines({ requests }: ModuleFacts): number[] {
  return [...new Set(requests.map(({ line }) => line))].sort((a, b) => a - b);
}

function esmShape(esm: EsmFacts): unknown[] {
  return [
    esm.statements.map(({ kind, inner, nameAt, declares, uses, isPure }) => [
      ...[kind, inner === undefined, nameAt === undefined],
      ...[declares, uses, isPure],
    ]),
    ...[esm.imports, esm.exports, esm.reexports, esm.stars],
    ...[esm.metas.length > 0, esm.dynamicImports.length > 0, esm.hasTopAwait, esm.awaitsOtherwise],
    esm.commonJsNames.map(({ name }) => name),
    esm.assigned,
  ];
}
