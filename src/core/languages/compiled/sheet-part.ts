/** What compiled languages say alike of their functions in a sheet. Light: always loaded. */
import type { EntryPart, SheetPart } from '../../sheet';
import type { CompiledId } from './own';

/** What is a language's own in it. */
export type OwnSheetPart<Id extends CompiledId> = Pick<SheetPart<Id>, 'needs' | 'open'> & {
  readonly entry: Pick<EntryPart, 'endings' | 'pattern' | 'sample'>;
  readonly texts: Pick<SheetPart<Id>['texts'], 'needs' | 'runtime' | 'sources'>;
};

/** What all compiled languages say of their functions in the sheet, with what one says of its own. */
export function compiledSheetPart<Id extends CompiledId>({
  entry,
  needs,
  texts,
  open,
}: OwnSheetPart<Id>): SheetPart<Id> {
  return {
    forms: ['zip', 'binary', 'image'],
    adapters: [],
    entry: {
      ...entry,
      hasMember: false,
      isPath: true,
      mend: 'name the file that the host loads',
      hostForm: '{path}',
      words: ({ file }) => ({ path: file, file, module: file, class: file, member: '' }),
    },
    needs,
    keys: ['build', 'toolchain', 'strip', 'sources'],
    texts: {
      ...texts,
      entry:
        'for native code the main source file, or an executable that is there already, with `{arch}` in its path where there is one for each architecture',
    },
    open,
  };
}
