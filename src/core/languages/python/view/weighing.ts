/** What is known of files in artifacts for Python: installed packages list what they have in RECORD (PEP 376, PEP 627). */
import type { Weighing } from '../../weighing';

const LIST = /^(?:.*\/)?([\w.]+)-[\w.!+]+\.dist-info\/RECORD$/;

export const pythonWeighing: Weighing = {
  code: /\.pyc?$/i,
  about: /(?:^|\/)[^/]+\.(?:dist|egg)-info\/|\.(?:pyi|typed)$/i,
  lists: {
    path: LIST,
    *read(path, text) {
      const [, name = ''] = LIST.exec(path) ?? [];
      const above = path.replace(/[^/]+\/[^/]+$/, '');
      for (const line of text.split('\n')) yield [above + (line.split(',')[0] ?? ''), name];
    },
  },
};
