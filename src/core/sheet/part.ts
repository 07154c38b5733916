/** What a language says of its functions in a packing sheet. The sheet is read with what the languages say; it names none. */
import type { z } from 'zod';
import type { Entry, FormFacts, FormId, FormKeys, LanguageId, Languages, WayFacts, WayName, Ways } from './model';
import type { SheetNotes } from './text/notes';

/** The words of `runtime`. */
export interface RuntimeWords {
  readonly word: string;
  /** Pattern of the version behind it, in the sheet and in a destination; undefined where the word stands alone. */
  readonly version?: { readonly sheet: string; readonly offered: string; readonly shown: string };
  /** Other words that people have for it, in small letters. */
  readonly aliases?: readonly string[];
  /** An example of it. */
  readonly sample: string;
  /** The word by which destinations offer it, where that is another: what is compiled is the same to them. */
  readonly offeredAs?: string;
  /** It stands in destinations only; no function says it of itself. */
  readonly isOfferedOnly?: true;
}

/** How the entry is written, checked and told to hosts. */
export interface EntryPart {
  /** Whether a member is called; otherwise the entry is just a file. */
  readonly hasMember: boolean;
  /** Whether what stands before `#` is a path in the source folder; otherwise it is a name. */
  readonly isPath: boolean;
  readonly pattern: RegExp;
  /** Names with dots behind `#`, `Fernhaven.Dues.Export.Run`. */
  readonly isMemberDotted?: true;
  /** What the pattern asks for, as it stands after "a file that ends in", or by itself where it is no path. */
  readonly endings: string;
  /** What to do where it is something else. */
  readonly mend: string;
  /** An example. */
  readonly sample: string;
  /** Key of the language under `entry` of a destination; undefined where hosts are told the file alone. */
  readonly hostKey?: string;
  /** The words in braces of a destination's form. */
  words(entry: Entry): HostWords;
  /** The form where a destination has none, `{path}#{member}`. */
  readonly hostForm: string;
}

/** The words that may stand in braces in a destination's form of the entry string. */
export const ENTRY_WORDS = ['path', 'module', 'member', 'class', 'file'] as const;
export type HostWords = Readonly<Record<(typeof ENTRY_WORDS)[number], string>>;

/** Where requirements may stand. */
export interface NeedsPart {
  /** Names of files, and how they are told to people. */
  readonly files: RegExp;
  readonly expected: string;
  /** Names of folders among them. */
  readonly folders?: RegExp;
  /** Whether the sheet may list them. */
  readonly isListed: boolean;
}

/** Sentences about the language for keys that all have, as they stand in the reference. */
export interface KeyTexts {
  readonly runtime?: string;
  readonly entry?: string;
  readonly needs?: string;
  readonly sources?: string;
  readonly adapter?: string;
  readonly trim?: string;
}

/** The keys that only this language has, or a few: their schemas, and what is made of them. Heavy: loaded to read a sheet. */
export interface SheetKeys<Id extends LanguageId = LanguageId> {
  readonly fields: Readonly<Record<string, z.ZodType>>;
  read(reading: KeysReading): Languages[Id]['keys'];
}

export interface KeysReading {
  readonly notes: SheetNotes;
  /** Path of the function in the sheet. */
  readonly at: readonly string[];
  /** The function as it is written; `fields` hold for it. */
  readonly text: Readonly<Record<string, unknown>>;
  /** Whether tracing is to go down to members. */
  readonly isDeep: boolean;
}

/** The keys that only one form has: their schemas, and what is made of them. Heavy: loaded to read a sheet. */
export interface FormSheetKeys {
  readonly fields: Readonly<Record<string, z.ZodType>>;
  read(reading: FormKeysReading): FormKeys;
}

export interface FormKeysReading {
  readonly notes: SheetNotes;
  /** Path of the function in the sheet. */
  readonly at: readonly string[];
  /** The function as it is written; `fields` hold for it. */
  readonly text: Readonly<Record<string, unknown>>;
  /** Its language. */
  readonly sheet: SheetPart;
}

/** What the sheet knows of a form. Light. */
export interface SheetForm<Id extends FormId = FormId> extends FormFacts<Id> {
  /** Names of the keys that only it has. */
  readonly keys: readonly string[];
  /** @param languages all of them, in their order; undefined where it has no keys of its own */
  readonly openKeys?: (languages: readonly SheetLanguage[]) => Promise<FormSheetKeys>;
}

/** Light: it is there whenever a sheet is. */
export interface SheetPart<Id extends LanguageId = LanguageId> {
  /** The first is the usual one. */
  readonly forms: readonly [FormId, ...FormId[]];
  /** Interfaces of web applications that it can be called through. */
  readonly adapters: readonly string[];
  readonly entry: EntryPart;
  readonly needs: NeedsPart;
  /** Names of the keys that are not everybody's; `sources` among them where requirements come from what the sheet names. */
  readonly keys: readonly string[];
  /** What to do instead of a key that other languages have. */
  readonly instead?: Readonly<Record<string, string>>;
  /** Whether a base of an image has to bring a runtime, under the word that `base: { runtime }` has for it. */
  readonly broughtBy?: string;
  /** What `trim: { traced: … }` may say of it. */
  readonly traced?: readonly ('deep' | 'strict')[];
  readonly texts: KeyTexts;
  open(): Promise<SheetKeys<Id>>;
}

/** Fields that are known only once the languages have said them. */
// eslint-disable-next-line @typescript-eslint/no-generated-empty-object-type
export type LateFields = Readonly<Record<never, z.ZodType>>;

/** The shapes of what a language writes under its id into lock and waybill. Heavy: loaded to hold a file against them. */
export interface PartSchemas {
  readonly lockedPackage?: z.ZodType;
  readonly locked?: z.ZodType;
  readonly carriedPackage?: z.ZodType;
  readonly carried?: z.ZodType;
}

/** What the sheet, the lock and the waybill know of a language. */
export interface SheetLanguage<Id extends LanguageId = LanguageId> {
  readonly id: Id;
  /** As people call it. */
  readonly title: string;
  readonly runtime: RuntimeWords;
  readonly sheet: SheetPart<Id>;
  /** Undefined where it writes nothing of its own. */
  readonly parts?: () => Promise<PartSchemas>;
}

/** What `deliver` says of one way. Heavy: loaded to read a destination. */
export interface WaySheetKeys<Name extends WayName = WayName> {
  /** What stands under its name, where it does: optional. */
  readonly field: z.ZodType;
  /** Keys that may stand beside that. */
  readonly beside: Readonly<Record<string, z.ZodType>>;
  /** @param text `deliver` as it is written; the fields hold for it */
  settle(text: Readonly<Record<string, unknown>>): Ways[Name];
}

/** What destinations know of a way of delivery. Light. */
export interface SheetWay<Name extends WayName = WayName> extends WayFacts<Name> {
  readonly openKeys: () => Promise<WaySheetKeys<Name>>;
}

/** A way with what `deliver` says of it. */
export interface OpenWay {
  readonly way: SheetWay;
  readonly keys: WaySheetKeys;
}

/** A language with the keys that it adds. */
export interface OpenLanguage {
  readonly language: SheetLanguage;
  readonly keys: SheetKeys;
}

/** A form with the keys that it adds, where it has any. */
export interface OpenForm {
  readonly form: SheetForm;
  readonly keys: FormSheetKeys | undefined;
}

/** All that a sheet is read with. */
export interface OpenKeys {
  readonly languages: readonly OpenLanguage[];
  readonly forms: readonly OpenForm[];
  readonly ways: readonly OpenWay[];
}
