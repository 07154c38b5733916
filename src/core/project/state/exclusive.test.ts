import { existsSync, mkdirSync, utimesSync } from 'node:fs';
import { join } from 'node:path';
import { folderWith } from '../../../../test/support/program';
import { exclusively } from './exclusive';
import { StateFolder } from './state';

const stateIn = (root: string): StateFolder =>
  new StateFolder({ root, code: 'test', caches: root, now: () => Date.now() });

describe('who works alone', () => {
  it('lets nobody else at the same thing', async () => {
    const state = stateIn(folderWith({}));
    const order: string[] = [];
    const onWait = jest.fn();
    const work = (name: string) =>
      exclusively({ state, what: 'build', onWait }, async () => {
        order.push(`${name} begins`);
        await new Promise((resolve) => setTimeout(resolve, 250));
        order.push(`${name} ends`);
      });
    await Promise.all([work('a'), work('b')]);
    expect(order.map((line) => line.split(' ')[1])).toEqual(['begins', 'ends', 'begins', 'ends']);
    expect(onWait).toHaveBeenCalledTimes(1);
  });

  it('passes over a lock whose build was killed', async () => {
    const state = stateIn(folderWith({}));
    mkdirSync(join(state.path, 'build.lock'), { recursive: true });
    const longAgo = Date.now() / 1000 - 60;
    utimesSync(join(state.path, 'build.lock'), longAgo, longAgo);
    await expect(exclusively({ state, what: 'build', onWait: jest.fn() }, () => Promise.resolve('done'))).resolves.toBe(
      'done',
    );
  });

  it('is given back when the work fails', async () => {
    const state = stateIn(folderWith({}));
    const fail = exclusively({ state, what: 'build', onWait: jest.fn() }, () => Promise.reject(new Error('no')));
    await expect(fail).rejects.toThrow('no');
    expect(existsSync(join(state.path, 'build.lock'))).toBe(false);
  });
});
