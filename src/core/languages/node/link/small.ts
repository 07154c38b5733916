/** Makes parts of a linked file small. */
import { minify_sync, type MinifyOptions } from 'terser';
import { partMapJson, readPartMap, type Part } from './parts';

export interface SmallJob {
  readonly text: string;
  readonly map?: Part['map'];
}

/** Names of classes are seen from outside: errors carry them. */
const OPTIONS: MinifyOptions = {
  ecma: 2020,
  keep_classnames: true,
  format: { comments: /^!|@license|@preserve/i },
};

/** A module's part: what it declares is inside a function, so that all of it may get shorter names. */
export function smallPart({ text, map }: SmallJob): Part {
  const result = minify_sync(text, {
    ...OPTIONS,
    compress: { passes: 2 },
    mangle: true,
    ...(map !== undefined && { sourceMap: { content: partMapJson(map), includeSources: true } }),
  });
  const made = map !== undefined && typeof result.map === 'string' ? readPartMap(result.map) : undefined;
  return { text: `${result.code ?? ''}\n`, ...(made !== undefined && { map: made }) };
}

/** A statement that stands where the parts of the modules go: it is left as it is, and nothing is moved across it. */
const PLACE = 'debugger;';

/**
 * What stands before and behind the parts of the modules. They see what it declares, which therefore stays and keeps its
 * names.
 */
export function smallFrame(head: string, foot: string, isModule: boolean): { head: string; foot: string } {
  const declared = [...head.matchAll(/^(?:async )?(?:function|const|let|var) (\w+)/gm)].flatMap(
    ([, name = '']) => name,
  );
  const { code = '' } = minify_sync(`${head}${PLACE}\n${foot}`, {
    ...OPTIONS,
    module: isModule,
    compress: { passes: 2, drop_debugger: false, sequences: false, reduce_vars: false, unused: false },
    mangle: { reserved: ['place', ...declared] },
  });
  const [before, after, ...more] = code.split(PLACE);
  if (before === undefined || after === undefined || more.length > 0)
    throw new Error('the place of the modules is not where it was');
  return { head: `${before}\n`, foot: `${after}\n` };
}
