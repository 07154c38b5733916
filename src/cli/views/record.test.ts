import type { Waybill } from '../../core/waybill';
import { running } from '../../core/languages/python/run/running';
import { makePaint } from './paint';
import { cutModules, cutText, recordOf, recordText } from './record';

const file = (path: string, size: number) => ({ path, size });
const waybill = {
  files: [
    file('intake.py', 10),
    file('levels/__init__.py', 20),
    file('levels/fast.abi3.so', 40),
    file('levels/libx.so', 80),
    file('levels/a.csv', 1),
  ],
  trimmed: [
    { path: 'levels/idle.py', size: 5, package: 'levels', by: 'not-reached' },
    { path: 'plug/__init__.py', size: 5, package: 'plug', by: 'not-reached' },
  ],
} as unknown as Waybill;
const { notes } = running.host;
if (notes === undefined) throw new Error('the runner notes nothing');
const plain = { paint: makePaint(false), verbose: false };

describe('the record of a run', () => {
  it('counts modules that were loaded and those that were not, and no libraries or data', () => {
    const record = recordOf(waybill, { seen: ['intake.py'], asked: ['nowhere'] }, notes);
    expect(record).toEqual({
      loaded: ['intake.py'],
      loadedBytes: 10,
      idle: ['levels/__init__.py', 'levels/fast.abi3.so'],
      idleBytes: 60,
      asked: ['nowhere'],
    });
    expect(recordText(record, plain)).toContain('2 modules, 60 B: packed, but not loaded');
  });

  it('names the line that brings back a module that was trimmed', () => {
    const cut = cutModules(waybill, ['levels.idle', 'plug', 'nowhere'], notes);
    expect(cut.map(({ module, path }) => [module, path])).toEqual([
      ['levels.idle', 'levels/idle.py'],
      ['plug', 'plug/__init__.py'],
    ]);
    expect(cutText(cut, plain.paint)).toContain('add to the function: `keep: ["levels/idle.py"]`');
  });
});
