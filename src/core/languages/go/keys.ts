import { compiledKeys } from '../compiled/keys';

export const goKeys = compiledKeys<'go'>({
  word: 'go',
  build: ['package', 'tags', 'flags', 'cgo', 'linkage'],
  compilers: ['go'],
});
