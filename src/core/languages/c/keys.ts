import { compiledKeys } from '../compiled/keys';

export const cKeys = compiledKeys<'c'>({
  word: 'c',
  build: ['sources', 'flags', 'libraries', 'linkage'],
  compilers: ['gcc', 'clang'],
});
