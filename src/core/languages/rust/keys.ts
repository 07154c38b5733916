import { compiledKeys } from '../compiled/keys';

export const rustKeys = compiledKeys<'rust'>({
  word: 'rust',
  build: ['package', 'program', 'features', 'default-features', 'flags', 'linkage'],
  compilers: ['rust'],
});
