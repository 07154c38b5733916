/** Where an artifact comes from: an in-toto Statement v1 with a SLSA Provenance v1 predicate. */
import { contentDigest } from '../../disk/digest';
import { PREDICATE_TYPE, STATEMENT_TYPE } from '../papers';
import type { PackageFact } from '../../findings/rule';
import type { Waybill } from '../../waybill';

/** What is done with the parameters: docs/formats.md says it. */
export const BUILD_TYPE = 'tag:emballage,2026:build/1';
export const LOCAL_BUILDER = 'tag:emballage,2026:builder/unnamed';

export interface ProvenanceFacts {
  readonly waybill: Waybill;
  /** The bytes of papers and waybill that lie beside the artifact, by name. */
  readonly byproducts: Readonly<Record<string, string>>;
  /** Sheet, destination, lock and sources: paths from the project, each with its SHA-256. */
  readonly sources: readonly { readonly path: string; readonly sha256: string }[];
  readonly packages: readonly PackageFact[];
  /** Who built it: an address that those who verify know. */
  readonly builder: string;
  /** The sheet, relative to the project. */
  readonly sheet: string;
}

/** The bytes of the statement. Same inputs, same bytes: no time, no machine. */
export function writeProvenance(facts: ProvenanceFacts): string {
  const { waybill, byproducts, builder, sheet } = facts;
  const [tool = '', version = ''] = waybill.made.by.split(' ');
  const statement = {
    _type: STATEMENT_TYPE,
    subject: [{ name: waybill.artifact.file, digest: { sha256: waybill.artifact.sha256 } }],
    predicateType: PREDICATE_TYPE,
    predicate: {
      buildDefinition: {
        buildType: BUILD_TYPE,
        externalParameters: {
          sheet,
          project: waybill.project,
          function: waybill.function,
          arch: waybill.arch,
          form: waybill.form,
          runtime: waybill.runtime,
          destination: waybill.destination,
          entry: waybill.entry.declared,
          trim: waybill.trim,
        },
        internalParameters: {
          deflate: waybill.made.deflate,
          time: waybill.made.time,
          toolchains: waybill.made.toolchains,
          function: { sha256: waybill.inputs.function },
          files: { sha256: waybill.inputs.files },
        },
        resolvedDependencies: dependenciesOf(facts),
      },
      runDetails: {
        builder: { id: builder, version: { [tool]: version } },
        byproducts: Object.entries(byproducts).map(([name, bytes]) => ({
          name,
          digest: { sha256: contentDigest(bytes) },
        })),
      },
    },
  };
  return `${JSON.stringify(statement, null, 2)}\n`;
}

/** What all of it was made of (SLSA Provenance v1, "resolvedDependencies"). */
function dependenciesOf({ waybill, sources, packages }: ProvenanceFacts): object[] {
  const { base } = waybill.image ?? {};
  return [
    ...sources.map(({ path, sha256 }) => ({ name: path, digest: { sha256 } })),
    ...packages.map(({ purl, sha256 }) => ({ uri: purl, ...(sha256 !== undefined && { digest: { sha256 } }) })),
    ...(base === undefined
      ? []
      : base.layers.map(({ digest }) => ({
          name: `base: ${base.from}`,
          digest: { sha256: digest.slice('sha256:'.length) },
        }))),
  ];
}
