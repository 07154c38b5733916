/** What a function takes, for telling of an event that is another before it is called. */
import { join } from 'node:path';
import type { Taken } from '../../events';
import { openForm } from '../../forms';
import { workOf } from '../../languages';
import { artifactPath, type Project, type Target } from '../../project/targets';
import { adapterCalls, callsOf } from '../../sheet';
import type { Waybill } from '../../waybill';

/**
 * What its code reads is looked for in what the host unpacks; of layers only the shape of requests counts.
 * @param how `types`: only what types say of that; `code`: also what code is seen to read, which takes reading it
 */
export async function takenBy(
  project: Project,
  target: Target,
  waybill: Waybill | undefined,
  how: 'types' | 'code',
): Promise<Taken> {
  const { spec } = target;
  const destination = project.sheet.destinations[spec.destination];
  const calls = callsOf(destination);
  if (spec.adapter !== undefined) return { calls, reads: [], shape: adapterCalls(spec, destination).shape };
  const work = await workOf(spec);
  const isRead = work.reads !== undefined && (how === 'code' || work.readsAreTyped === true);
  if (!isRead || waybill === undefined || spec.form.isLayered === true) return { calls, reads: [] };
  const shown = artifactPath(target);
  const path = join(project.root, shown);
  const { file, member } = waybill.entry.loads;
  const entry = { text: `${file}#${member}`, file, member };
  const opening = { path, shown, form: spec.form, name: file, isVerified: true, scratch: '' };
  return (await openForm(spec.form)).withSubject(opening, async (subject) => ({
    calls,
    reads: (await work.reads?.(subject, entry)) ?? [],
  }));
}
