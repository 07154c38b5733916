/** What was sent of a function, fetched again and verified by the digest in the ledger. */
import { existsSync, readdirSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { EmballageError } from '../../core/base/errors';
import { printable } from '../../core/base/text';
import { paperTexts, readLedger, standing, wayOf, type Delivery } from '../../core/pipeline/deliver';
import type { PaperTexts } from '../../core/project/papers';
import { ledgerNameOf, type Project, type Target } from '../../core/project/targets';
import { readWaybillFile, type WaybillFile } from '../../core/project/verify-artifact';
import type { Waybill } from '../../core/waybill';
import { deliveryWorld } from './delivering';
import type { Session } from '../session/session';

export interface SentArtifact {
  /** Absolute path of the file, or of the layout of an image; and its name for messages. */
  readonly artifact: string;
  readonly shown: string;
  /** None for an image. */
  readonly waybill: Waybill | undefined;
  readonly delivery: Delivery;
  /** The waybill that came with it, of an image too where it has papers. */
  readonly recorded: WaybillFile | undefined;
  readonly papers: PaperTexts;
}

/**
 * Fetches what was sent last.
 * @param folder absolute path of a folder that is new or empty
 */
export async function fetchSent(
  project: Project,
  { spec, arch }: Target,
  folder: string,
  session: Session,
): Promise<SentArtifact> {
  const [delivery] = standing(readLedger(project), spec.name);
  if (delivery?.artifacts[arch] === undefined)
    throw new EmballageError('USAGE', {
      doing: `looking for what was last sent of ${spec.name}`,
      where: ledgerNameOf(project),
      expected: `a delivery of ${spec.name} for ${arch}`,
      found: delivery === undefined ? 'none that stands' : 'one without that architecture',
      mend: `send it first: \`${session.command(`send ${spec.name}`)}\``,
    });
  const doing = `fetching ${spec.name} from ${delivery.destination}`;
  const way = await wayOf(deliveryWorld(project, session), delivery, doing);
  const { form } = spec;
  const isInParts = form.isLayered === true;
  const { parts } = await way.fetch(delivery, {
    into: folder,
    arch,
    form,
    ending: form.fileEnding,
    onProgress: (done, total) =>
      session.progress.show(`fetching ${spec.name}: ${String(Math.round((done / Math.max(1, total)) * 100))} %`),
  });
  session.progress.clear();
  const part = parts.find((one) => one.arch === arch);
  if (part === undefined) throw new Error('what was fetched has no such architecture');
  const { path, shown, waybill } = part;
  const isRead = waybill.path !== path && (!isInParts || part.papers.length > 0);
  const recorded = isRead ? await readWaybillFile(waybill, project.languages) : undefined;
  const read = isInParts ? undefined : recorded?.value;
  return { artifact: path, shown, waybill: read, delivery, recorded, papers: paperTexts(part) };
}

/** The folder that a person names for it. */
export function intoFolder(into: string, session: Session): string {
  const folder = resolve(session.cwd, into);
  if (!existsSync(folder) || readdirSync(folder).length === 0) return folder;
  throw new EmballageError('USAGE', {
    doing: 'reading the command line',
    where: '--into',
    expected: 'a folder that is new or empty',
    found: `\`${printable(into)}\`, with something in it`,
    mend: 'name another',
  });
}

/** A folder in a scratch one that what is fetched may fill. */
export function scratchFolder(scratch: string): string {
  return join(scratch, 'layout');
}
