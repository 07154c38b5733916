import { readDepFile } from './dep-file';

it('what compilers read is told by the rules that they write', () => {
  const text = 'a.o: src/a.c \\\n  include/my\\ tide.h /usr/include/stdio.h\n\ninclude/x.h:\n# env-dep:A=1\n';
  expect(readDepFile(text)).toEqual(['src/a.c', 'include/my tide.h', '/usr/include/stdio.h']);
});
