/** What is known of files in artifacts for .NET. */
import { MOST_DEPS_BYTES, readDepsFile } from '../published/deps-file';
import type { Weighing } from '../../weighing';

export const dotnetWeighing: Weighing = {
  code: /\.dll$/i,
  about: /\.(?:deps|runtimeconfig)\.json$|\.pdb$/i,
  lists: {
    path: /^[^/]+\.deps\.json$/,
    *read(path, text) {
      if (text.length > MOST_DEPS_BYTES) return;
      for (const { name, type, assets } of librariesIn(text, path))
        if (type === 'package') for (const { file } of assets) yield [file, name];
    },
  },
};

/** What cannot be read lists nothing; rules tell of it. */
function librariesIn(text: string, path: string): ReturnType<typeof readDepsFile>['libraries'] {
  try {
    return readDepsFile(text, path).libraries;
  } catch {
    return [];
  }
}
