/** Packages that lie in the source as files, and that no lock knows. */
import { baseOf } from '../../../base/paths';
import { printable } from '../../../base/text';
import type { Finding } from '../../../findings/rule';
import type { Waybill } from '../../../waybill';
import type { PythonArtifact } from '../view/artifact-view';
import { parseWheelName } from '../versions/tags';

const MEND = 'name its folder under `sources` and the package under `needs`, and lock; or write `leave-out`';

/** Packages that lie in the source and are in no lock. */
export function unpackedByHand(artifact: PythonArtifact, { files }: Waybill): Finding[] {
  const own = new Set(files.filter(({ origin }) => origin.from === 'source').map(({ path }) => path));
  const wheels = [...own].filter((path) => parseWheelName(baseOf(path)) !== undefined);
  const unpacked = artifact.distributions.filter(({ folder }) => own.has(`${folder}/METADATA`));
  return [
    ...wheels.map((path): Finding => ({
      level: 'warn',
      where: printable(path),
      expected: 'packages unpacked, which Python can import',
      found: 'a wheel as a file, which it does not look into',
      mend: MEND,
    })),
    ...unpacked.map(({ metadata, folder }): Finding => ({
      level: 'note',
      where: printable(folder),
      expected: 'packages from a lock',
      found: `${printable(`${metadata.name} ${metadata.version}`)}, unpacked into the source by hand`,
      mend: MEND,
    })),
  ];
}
