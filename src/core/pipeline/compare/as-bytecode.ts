/** Compiled bytecode that has a header of its own before what counts. */
import { readPycHeader } from '../../formats/pyc';
import { type Comparer, sameStretch } from '../../forms/comparing';

export const asBytecode: Comparer = (a, b, comparing, where) => {
  const [x, y] = [readPycHeader(a.source), readPycHeader(b.source)];
  if (x === undefined || y === undefined || !/\.pyc$/i.test(a.name)) return undefined;
  const place = where === '' ? a.name : where;
  const length = a.source.size - x.length;
  const isSame =
    length === b.source.size - y.length &&
    sameStretch({ source: a.source, at: x.length }, { source: b.source, at: y.length }, length);
  const rows = [
    { what: 'version of bytecode', a: String(x.version), b: String(y.version) },
    { what: 'is held against', a: x.against, b: y.against },
    {
      what: 'code',
      a: `${String(length)} bytes`,
      b: isSame ? 'the same' : `${String(b.source.size - y.length)} other bytes`,
    },
  ];
  if (x.version !== y.version)
    comparing.note('tool', place, `bytecode ${String(x.version)}`, `bytecode ${String(y.version)}`);
  else if (isSame) comparing.note('time', place, x.against, y.against);
  const details = rows.filter((row) => row.a !== row.b && !(isSame && row.what === 'code'));
  return {
    as: 'bytecode',
    details,
    ...(isSame && { cause: x.version === y.version ? ('time' as const) : ('tool' as const) }),
  };
};
