/** What a language sees in an artifact. Rules ask this, and name no language. */
import type { FoundRuntime, ImageFiles } from '../disk/unpack/in-image';
import type { Overlap, SettingRead } from '../fileset/model';
import type { EventRead } from '../events';
import type { Entry } from '../sheet';
import type { Waybill } from '../waybill';
import type { Finding, Level } from './finding';

/** What cannot be said of a language is left out of its view; rules that ask for it are not about that language. */
export interface LanguageView {
  /** Whether the function is an executable by itself, and no runtime loads it. */
  readonly isProgram: boolean;
  /** What is wrong with the place of the entry, where that is not simply a file of that name. */
  readonly entryPlace?: (entry: Entry) => Finding | undefined;
  /** What is wrong with the member that the host calls: it is not there, or cannot be called. */
  readonly entryMember?: (entry: Entry) => Finding | undefined;
  /** What is wrong with what it takes. */
  readonly parameters?: (entry: Entry) => Finding | undefined;
  /** What the member that is called reads of its event, as far as that can be seen. */
  readonly reads?: (entry: Entry) => readonly EventRead[];
  /** What the code asks for and nothing provides. */
  readonly missing?: () => readonly Finding[];
  /** What the function asks for and its own code does not use. */
  readonly unused?: (waybill: Waybill) => readonly Finding[];
  /** Packages that were packed as they were found, so that another machine may have others. */
  readonly installed?: (waybill: Waybill) => readonly Finding[];
  /** Versions that do not go together. */
  readonly clashes?: () => readonly Finding[];
  /** What only tests use, and is packed all the same. */
  readonly testOnly?: () => readonly Finding[];
  /** What the name of a compiled file says it is for, in words, where the language would not load it for that. */
  readonly otherByName?: (path: string) => string | undefined;
  /** Settings that the function's own code reads. */
  readonly settings?: () => readonly SettingRead[];
  /** Texts of the function's own code, in which a name may stand that is read by way of a constant. */
  readonly texts?: () => readonly string[];
  /** Whether a shared library is there because the runtime has it loaded. */
  readonly hasLoaded?: (library: string) => boolean;
  /** The runtime in an image, with what its environment says; undefined where it has none. */
  readonly runtimeIn?: (image: ImageFiles, env: readonly string[]) => FoundRuntime | undefined;
  /** How bad it is that two packages bring a file, and what to do; usually that stops. */
  readonly overlap?: (overlap: Pick<Overlap, 'path'>) => { readonly level: Level; readonly mend: string };
}
