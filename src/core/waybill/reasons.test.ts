import { dominators } from '../base/flow-graph';
import { EdgeBook, condenseEdges, renameEdges } from '../fileset/edges';
import { edgeRows } from './edges';
import { reasonGraph, withoutPackage } from './reason-graph';
import type { Waybill } from './schema';

type Row = Waybill['files'][number];

const own = (path: string, reason: Row['reason']): Row => row(path, { from: 'source', at: path }, reason);
const of = (name: string, path: string, reason: Row['reason']): Row =>
  row(path, { from: 'package', name, version: '1', at: path }, reason);
const row = (path: string, origin: Row['origin'], reason: Row['reason']): Row => {
  return { path, kind: 'file', mode: '0644', size: 10, origin, reason };
};
const named = (name: string, ...by: readonly string[]) => {
  return { name, version: '1', file: `${name}.tgz`, sha256: 'a'.repeat(64), by: [...by] };
};

type Parts = Parameters<typeof reasonGraph>[0];
const graphOf = (parts: Partial<Parts>) =>
  reasonGraph({ files: [], modules: [], packages: [], asks: [], together: [], ...parts });

describe('the graph of reasons', () => {
  const traced = graphOf({
    files: [
      own('entry.js', { why: 'entry' }),
      of('a', 'a/index.js', { why: 'imported', by: 'entry.js' }),
      of('b', 'b/index.js', { why: 'imported', by: 'a/index.js' }),
      of('b', 'b/LICENSE', { why: 'needed', by: ['a'] }),
      of('c', 'c/index.js', { why: 'imported', by: 'entry.js' }),
    ],
    packages: [named('a', 'entry'), named('b', 'a', 'c'), named('c', 'entry')],
    asks: [
      { by: 0, for: [[1, 3], 4] },
      { by: 1, for: [[2, 7]] },
      { by: 4, for: [2] },
    ],
  });
  const stays = (graph: typeof traced, name: string): string[] => {
    const isThere = withoutPackage(graph, `package ${name} 1`);
    return graph.rows.flatMap(({ path }, i) => (isThere(graph.nodeOfRow(i)) ? [path] : []));
  };

  it('keeps what another asks for too, and lets go what nobody else does', () => {
    expect(stays(traced, 'a')).toEqual(['entry.js', 'b/index.js', 'b/LICENSE', 'c/index.js']);
    expect(stays(traced, 'b')).toEqual(['entry.js', 'a/index.js', 'c/index.js']);
  });

  it('knows the lines', () => {
    expect([traced.lineBetween(1, 2), traced.lineBetween(1, 5), traced.lineBetween(2, 3)]).toEqual([3, undefined, 7]);
  });

  it('without tracing goes by who asks for whole packages', () => {
    const plain = graphOf({
      files: [
        own('entry.js', { why: 'entry' }),
        of('a', 'a.js', { why: 'needed', by: ['package.json'] }),
        of('b', 'b.js', { why: 'needed', by: ['a'] }),
        of('c', 'c.js', { why: 'needed', by: ['a', 'package.json'] }),
      ],
      packages: [named('a', 'package.json'), named('b', 'a'), named('c', 'a', 'package.json')],
    });
    expect(stays(plain, 'a')).toEqual(['entry.js', 'c.js']);
  });

  it('keeps together what several places ask for', () => {
    const files = [
      own('entry.js', { why: 'entry' }),
      of('a', 'a.js', { why: 'imported', by: 'entry.js' }),
      of('b', 'b.js', { why: 'imported', by: 'entry.js' }),
      of('p', 'p.js', { why: 'kept-whole', by: 'a.js:1' }),
    ];
    const edges = [{ by: 0, for: [1, 2] }];
    expect(stays(graphOf({ files, asks: edges, together: [{ by: [[1, 1], 2], for: [3] }] }), 'a')).toContain('p.js');
    expect(stays(graphOf({ files, asks: edges, together: [{ by: [1], for: [3] }] }), 'a')).not.toContain('p.js');
  });

  it('reaches everything, whatever the numbers in a waybill say', () => {
    const graph = graphOf({
      files: [own('a', { why: 'imported', by: 'b' }), own('b', { why: 'imported', by: 'a' })],
      asks: [
        { by: 0, for: [1, 99] },
        { by: 1, for: [0] },
        { by: 77, for: [0] },
      ],
      together: [{ by: [55], for: [66] }],
    });
    const idom = dominators(graph);
    expect([idom[1], idom[2]].every((at) => at !== -1)).toBe(true);
  });
});

describe('asks', () => {
  it('go on through files that are not there, and by the names of those that are', () => {
    const book = new EdgeBook();
    book.ask('entry', 'barrel', 1);
    book.ask('barrel', 'barrel2', 2);
    book.ask('barrel2', 'end', 3);
    book.ask('barrel2', 'entry');
    book.ask('entry', 'barrel', 9);
    book.askTogether('x', 'end', 4);
    book.keepTogether('x', 'gone');
    const known = new Set(['entry', 'end']);
    const { files, together } = renameEdges(
      condenseEdges(book.edges, (path) => known.has(path)),
      (path) => `${path}.js`,
    );
    expect([...files].map(([by, all]) => [by, [...all]])).toEqual([
      [
        'entry.js',
        [
          ['end.js', 1],
          ['entry.js', 1],
        ],
      ],
    ]);
    expect(together).toEqual([]);
  });

  it('are rows by their numbers, modules after files, in one order', () => {
    const book = new EdgeBook();
    book.ask('b', 'm', 5);
    book.ask('a', 'b');
    book.ask('a', 'nowhere', 2);
    expect(book.askTogether('all', 'b', 7)).toBe(true);
    expect(book.askTogether('all', 'a')).toBe(false);
    book.keepTogether('all', 'm');
    expect(edgeRows(book.edges, ['a', 'b'], ['m'])).toEqual({
      asks: [
        { by: 0, for: [1] },
        { by: 1, for: [[2, 5]] },
      ],
      together: [{ by: [0, [1, 7]], for: [2] }],
    });
  });
});
