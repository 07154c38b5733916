/** Puts down what a whole link came to, for the next time. */
import type { NodeAssembled, Assembling, NodeFile } from '../assemble/assembly';
import { isCode } from '../assemble/module-source';
import type { LinkRecord } from './link-memory';
import { requestLines, shapeOf } from './shape';

/** @returns undefined for what cannot be linked again by parts */
export function recordOf(assembler: Assembling, assembled: NodeAssembled, key: string): LinkRecord | undefined {
  const { linked } = assembler;
  if (linked === undefined) return undefined;
  // Modules that were rewritten and stay files are made of what was traced.
  if (assembled.placed.some(({ file, text }) => file !== undefined && text !== undefined)) return undefined;
  const own = assembler.request.files.filter(({ isOwn }) => isOwn);
  return {
    key,
    digests: own.map(({ sha256 }) => sha256()),
    shapes: Object.fromEntries(own.flatMap((file) => shapeEntry(assembler, file))),
    lines: Object.fromEntries(
      own.flatMap(({ path }) => {
        const facts = isCode(path) ? assembler.factsOf(path) : undefined;
        return facts === undefined ? [] : [[path, requestLines(facts)]];
      }),
    ),
    frames: linked.frames,
    sections: linked.sections.map(({ plan, file, part }) => ({
      path: plan.path,
      file,
      plan: JSON.stringify(plan),
      text: part.text,
      map: part.map === undefined ? '' : JSON.stringify(part.map),
    })),
    result: {
      placed: assembled.placed.flatMap(({ path, file, reason }) =>
        file === undefined
          ? []
          : [
              {
                path,
                file: file.path,
                reason,
              },
            ],
      ),
      trimmed: assembled.trimmed,
      dropped: assembled.dropped,
      unseen: assembled.unseen,
      missing: assembled.missing,
      edges: {
        files: [...assembled.edges.files].map(([by, asked]) => [by, [...asked]]),
        together: assembled.edges.together.map((one) => ({ by: [...one.by], for: [...one.for] })),
      },
      linked: assembled.linked.map(({ file, reason, settings, packages }) => ({
        file: file.path,
        reason,
        settings,
        packages,
      })),
      entryFile: assembled.entryFile,
    },
  };
}

function shapeEntry(assembler: Assembling, { path }: NodeFile): [string, LinkRecord['shapes'][string]][] {
  const facts = isCode(path) ? assembler.factsOf(path) : undefined;
  if (facts === undefined) return [];
  return [[path, [assembler.resolver.packages.formatOf(path) ?? '', shapeOf(facts)]]];
}
