/** The papers of an artifact: which there are, and what they are called beside it. */
import { existsSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { readTextFile } from '../disk/read-text';
import { guarded, writeInProject } from '../disk/write';
import { waybillPath, type Project, type Target } from './targets';

export const PAPER_KINDS = ['cyclonedx', 'spdx', 'provenance', 'envelope', 'ssh'] as const;
export type PaperKind = (typeof PAPER_KINDS)[number];

export interface PaperForm {
  /** Behind the place of its artifact, without that’s own ending where they lie in `out`. */
  readonly ending: string;
  readonly mediaType: string;
  readonly title: string;
}

export const PAPERS: Readonly<Record<PaperKind, PaperForm>> = {
  cyclonedx: {
    ending: '.cdx.json',
    mediaType: 'application/vnd.cyclonedx+json',
    title: 'bill of materials (CycloneDX 1.6)',
  },
  spdx: { ending: '.spdx.json', mediaType: 'application/spdx+json', title: 'bill of materials (SPDX 2.3)' },
  provenance: {
    ending: '.provenance.json',
    mediaType: 'application/vnd.in-toto+json',
    title: 'provenance (in-toto Statement v1, SLSA Provenance v1)',
  },
  envelope: {
    ending: '.provenance.dsse.json',
    mediaType: 'application/vnd.dsse.envelope.v1+json',
    title: 'signed provenance (DSSE)',
  },
  ssh: {
    ending: '.provenance.sig',
    mediaType: 'application/vnd.emballage.ssh-signature.v1',
    title: 'signature of the provenance (SSH)',
  },
};

/** What papers say, by their kind. */
export type PaperTexts = Readonly<Partial<Record<PaperKind, string>>>;

const MOST_PAPER_BYTES = 512 * 1024 * 1024;

/** Relative to the project. */
export function paperPath(target: Target, kind: PaperKind): string {
  return waybillPath(target).replace(/\.waybill\.json$/, PAPERS[kind].ending);
}

/** Those that lie beside an artifact. @param placeOf absolute path of each, and its name for messages */
export function readPapers(placeOf: (kind: PaperKind) => readonly [path: string, shown: string]): PaperTexts {
  const found: Partial<Record<PaperKind, string>> = {};
  for (const kind of PAPER_KINDS) {
    const [path, shown] = placeOf(kind);
    if (!existsSync(path)) continue;
    found[kind] = readTextFile(path, {
      doing: 'reading the papers',
      shown,
      maxBytes: MOST_PAPER_BYTES,
      mendMissing: 'vouch for it again',
    });
  }
  return found;
}

/** Those of what was built. */
export function papersOf({ root }: Pick<Project, 'root'>, target: Target): PaperTexts {
  return readPapers((kind) => [join(root, paperPath(target, kind)), paperPath(target, kind)]);
}

/** Puts papers in place. What is signed comes last, so that it never stands beside others. */
export function writePapers({ root }: Pick<Project, 'root'>, target: Target, papers: PaperTexts): void {
  removePapers({ root }, target);
  for (const kind of PAPER_KINDS) {
    const text = papers[kind];
    if (text !== undefined) writeInProject(join(root, paperPath(target, kind)), text, paperPath(target, kind));
  }
}

/** Papers of what is no longer there are of nothing. */
export function removePapers({ root }: Pick<Project, 'root'>, target: Target): void {
  for (const kind of [...PAPER_KINDS].reverse()) {
    const shown = paperPath(target, kind);
    guarded(shown, () => {
      rmSync(join(root, shown), { force: true });
    });
  }
}
