import { formatSize } from '../../../base/units';
import { count } from '../../../base/text';
import { findings, type Rule } from '../../../findings/rule';

/** The code that runs the modules takes some room too: less than this is not worth a word. */
const LEAST_BYTES = 64 * 1024;
const LEAST_PART = 0.1;

export const sizeLinked: Rule = {
  id: 'size/linked',
  level: 'note',
  title: 'Linking makes the artifact smaller',
  why: 'What is looked for on the disk, such as a worker, stays a file with all that it asks for, and is in the linked file too where others import it; a source map inside holds the whole source once more. Then the files alone would take less room.',
  mend: 'Write `trim: traced` instead of `link: true`, or put the source map beside (`sourcemap: beside`) or leave it out.',
  needs: ['waybill'],
  check({ facts: { waybill } }) {
    if (waybill === undefined || waybill.modules.length === 0) return findings();
    const files = new Set(waybill.files.map(({ path }) => path));
    const linked = waybill.files.flatMap((file) =>
      file.kind === 'file' && file.origin.from === 'generated' && file.origin.by === 'linking' ? [file] : [],
    );
    const alone = waybill.modules.filter(({ path }) => !files.has(path));
    const [together, apart] = [sum(linked), sum(alone)];
    if (together - apart < Math.max(LEAST_BYTES, LEAST_PART * apart)) return findings();
    const twice = waybill.modules.length - alone.length;
    return findings({
      level: 'note',
      where: linked[0]?.path ?? '',
      expected: `less than the ${formatSize(apart)} that ${count(alone.length, 'module')} would take as files`,
      found: `${formatSize(together)}${twice === 0 ? '' : `: ${count(twice, 'of its modules stays a file too', 'of its modules stay files too')}, since something looks for them on the disk`}`,
      mend: 'write `trim: traced` in place of `link: true`, or leave the source map out of it (`sourcemap: beside`)',
    });
  },
};

function sum(all: readonly { readonly size: number }[]): number {
  return all.reduce((total, { size }) => total + size, 0);
}
