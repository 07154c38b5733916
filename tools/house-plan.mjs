// The plan of the house, which tools/house.mjs holds the code to.

/** Layers from the lowest up: a folder imports from itself and from those before it, never from those after it. */
export const LAYERS = [
  'core/base',
  'core/formats',
  'core/disk',
  'core/fileset',
  'core/events',
  'core/sheet',
  'core/toolchains',
  'core/sources',
  'core/waybill',
  'core/project',
  'core/findings',
  'core/rules',
  'core/languages',
  'core/forms',
  'core/pipeline',
  'core/known.ts',
  'standins',
  'cli',
  'library',
];

/** Where the languages live. A language imports from no other, but what several share lies in kits. */
export const LANGUAGES = 'core/languages';
export const KITS = ['core/languages/compiled', 'core/languages/surveying'];

/** Words that belong to a language: they stand in its folder only. */
export const LANGUAGE_WORDS =
  /\b(?:node\.?js|npm|package(?:-lock)?\.json|node_modules|commonjs|typescript|javascript|python\w*|pypi|pip|wheels?|jvm|java|maven|jdk|jre|rust\w?|cargo|crates?|golang|go\.(?:mod|sum)|dotnet|nuget)\b/i;
export const LANGUAGE_NAMES = /'(?:node|go|c)'/;

/**
 * Choices that are made through a table: whoever tells one from another by its name knows what only its own folder is to know.
 * Each with where that may be done.
 */
export const CHOICES = [
  {
    of: 'a form',
    pattern:
      /\b(?:form|artifact)(?:\.(?:id|value))? *[!=]==? *'|' *[!=]==? *\w*(?:\.form|\.artifact)\b|'(?:zip|jar|binary)'/,
    free: ['core/forms', 'core/languages', 'core/formats'],
  },
  {
    of: 'a way of delivery',
    pattern:
      /\bway(?:\.name|\?\.way)? *[!=]==? *'(?:registry|folder|put|host|program)'|case '(?:registry|put|program)'/,
    free: ['core/pipeline/deliver/ways'],
  },
];

/** Formats of files are what several languages and other programs share. */
export const WORDS_ARE_FREE_IN = ['core/formats', 'core/languages'];

/** Lines that may hold such a word all the same, each with its reason. */
export const EXCEPTIONS = [
  { file: 'core/formats/jar.ts', words: ['java', 'Java'], why: 'the standard of the form speaks of it' },
  {
    file: 'cli/calling/watching.ts',
    words: ['node_modules'],
    why: 'a folder that tools fill, in projects of any kind',
  },
  {
    file: 'core/pipeline/survey/tree.ts',
    words: ['node_modules'],
    why: 'a folder that tools fill, in projects of any kind',
  },
  {
    file: 'core/fileset/selection.ts',
    words: ['node_modules', 'package-lock.json'],
    why: 'what installers leave behind is never packed',
  },
  { file: 'core/findings/common-settings.ts', words: ['PYTHON'], why: 'variables that systems set everywhere' },
  { file: 'core/rules/runtime/library.ts', words: ['wheels'], why: 'a list that a standard has by that name' },
];
