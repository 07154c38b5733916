/** What a survey makes of how a destination calls: programs that listen, shapes of requests. */
import { parse } from 'yaml';
import { folderWith, run, type Files } from '../support/program';

interface Proposed {
  readonly notes: readonly { readonly where: string; readonly text: string }[];
  readonly texts: readonly { readonly path: string; readonly text: string }[];
}

function survey(files: Files): Proposed & { readonly specs: Readonly<Record<string, unknown>> } {
  const found = JSON.parse(run(folderWith(files), ['survey', '--json']).stdout) as Proposed;
  const sheet = parse(found.texts[0]?.text ?? '') as { functions?: Record<string, unknown> } | undefined;
  return { ...found, specs: sheet?.functions ?? {} };
}

describe('a survey', () => {
  it('takes programs that listen on PORT, where the destination calls by HTTP', () => {
    const listens = '#include <stdlib.h>\nint main(void) { return getenv("PORT") == 0; }\n';
    const reads = '#include <stdio.h>\nint main(void) { return getc(stdin); }\n';
    const destination = (calls: string): string =>
      `destination: staithe\narch: [x86_64]\naccepts: { zip: {}, image: {} }\nruntimes: { native: {} }\n${calls}`;
    const alone = survey({ 'bell/bell.c': listens });
    expect(alone.specs).toMatchObject({ bell: { artifact: 'zip' } });
    expect(alone.specs.bell).not.toHaveProperty('settings');
    expect(alone.texts[1]?.text).toContain('calls: { native: http }');
    const mixed = survey({ 'bell/bell.c': listens, 'sum/sum.c': reads });
    expect(mixed.specs).toMatchObject({ bell: { artifact: 'image' }, sum: { artifact: 'zip' } });
    expect(mixed.texts[1]?.text).toContain('calls: { image: http }');
    const both = { 'bell/bell.c': listens, 'sum/sum.c': reads };
    const there = survey({ ...both, 'destinations/staithe.yaml': destination('calls: { image: http }\n') });
    expect(there.specs).toMatchObject({ bell: { artifact: 'image' }, sum: { artifact: 'zip' } });
    const none = survey({ ...both, 'destinations/staithe.yaml': destination('') });
    expect(Object.keys(none.specs)).toEqual(['sum']);
    expect(none.notes).toEqual([
      {
        where: 'bell/bell.c',
        text:
          'has `main` and listens on the port in `PORT`, and staithe speaks otherwise: ' +
          '`calls: { native: http }` or `calls: { image: http }` in it would change that',
      },
    ]);
    const root = folderWith({
      'bell/bell.c': listens,
      'destinations/staithe.yaml': destination('calls: { native: http }\n'),
      'emballage.yaml':
        'project: p\ndestinations: { staithe: destinations/staithe.yaml }\ndefaults: { destination: staithe, arch: [x86_64] }\nfunctions:\n  bell: { source: bell, runtime: c, entry: bell.c, artifact: zip }\n',
    });
    expect(run(root, ['survey'])).toMatchObject({ status: 0 });
  });

  it('names one of several shapes for a web application', () => {
    const { specs } = survey({
      'page/page.py': 'def application(environ, start_response):\n    start_response("200 OK", [])\n    return [b""]\n',
      'destinations/staithe.yaml':
        'destination: staithe\narch: [x86_64]\naccepts: { zip: {} }\nruntimes: { python 3.11: {} }\ncalls:\n  shapes:\n    gate: { request: { method: /m, path: /p }, response: { status: /s, body: /b } }\n    plain: { request: { method: /v, path: /w }, response: { status: /t, body: /c } }\n',
    });
    expect(specs).toMatchObject({ page: { adapter: { kind: 'wsgi', shape: 'gate' } } });
  });
});
